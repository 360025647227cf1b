/** The chain from a cause to its symptom, link by link, the cause first. */
import './cause-chain.css'

export interface ChainLink {
  readonly about: string
  readonly says: string
}

/** The last part of a reference, which is its name; its kind before it. */
const partsOf = (about: string): { readonly kind: string; readonly name: string } => {
  const [kind = '', ...rest] = about.split('/')
  return { kind, name: rest.at(-1) ?? kind }
}

export function CauseChain({ links }: { readonly links: readonly ChainLink[] }) {
  return (
    <ol className="cause-chain" aria-label="From the cause to the symptom">
      {links.map((link, index) => {
        const { kind, name } = partsOf(link.about)
        return (
          <li key={`${link.about} ${index}`} className={index === 0 ? 'cause' : ''}>
            <span className="kind">{kind}</span>
            <b className="mono" data-copy={name}>
              {name}
            </b>
            <span className="says" title={link.says}>
              {link.says}
            </span>
          </li>
        )
      })}
    </ol>
  )
}
