import { expect, it } from 'vitest'
import { cronText } from './cron-text'

it.each([
  ['0 1 * * *', 'daily at 01:00'],
  ['30 6,18 * * *', 'daily at 06:30 and 18:30'],
  ['@daily', 'daily at 00:00'],
  ['0 20 * * mon-fri', 'on weekdays at 20:00'],
  ['15 4 * * 0', 'on Sun at 04:15'],
  ['0 0 1 * *', 'on day 1 of the month at 00:00'],
  ['*/15 * * * *', 'every 15 minutes'],
  ['* * * * *', 'every minute'],
  ['@hourly', 'every hour'],
  ['5 * * * *', 'every hour at :05'],
  ['0 */2 * * *', 'every 2 hours at :00'],
  ['@every 90m', 'every 1 h 30 min'],
  ['0 1 1 * 0', 'by “0 1 1 * 0”'],
  ['0 1 * 2 *', 'by “0 1 * 2 *”'],
  ['never', '“never”'],
])('%s is %s', (schedule, words) => expect(cronText(schedule)).toBe(words))
