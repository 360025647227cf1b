/** The heads of a plain table’s columns; an empty name is a column of actions. */
export function ColumnHeads({ names }: { readonly names: readonly string[] }) {
  return (
    <thead>
      <tr>
        {names.map((name) => (
          <th key={name} scope="col">
            {name === '' ? <span className="visually-hidden">actions</span> : name}
          </th>
        ))}
      </tr>
    </thead>
  )
}
