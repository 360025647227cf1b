/**
 * The database’s library asks for a stack with every query, in case it fails. Reading source maps for each of them takes
 * as long as the query does: what fails there is told by its message, and by the test that asked.
 */
const read = Error.prepareStackTrace

function withoutStackOfQueries(error: Error, frames: NodeJS.CallSite[]): unknown {
  return frames[0]?.getFileName()?.includes('/sequelize/') ? String(error) : read?.(error, frames)
}

// Files of a worker share its modules, and each of them comes by here.
if (read && read.name !== withoutStackOfQueries.name)
  Error.prepareStackTrace = withoutStackOfQueries
