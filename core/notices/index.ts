export { type Notice, noticeDays, noticesOf } from './notices'
