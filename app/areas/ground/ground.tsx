const Empty = () => null
export default Empty
