import { data } from 'react-router'

export const loader = () => {
  throw data('No page has this address. It may have been a draft that was discarded.', {
    status: 404,
  })
}

const Nowhere = () => null
export default Nowhere
