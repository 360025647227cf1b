/** Numbers as people read them. Pure text: no locale of the machine takes part. */

const thousands = (digits: string): string => digits.replace(/\B(?=(\d{3})+(?!\d))/g, ',')

/** A number with up to `places` decimals, thousands set apart; trailing zeros are dropped. */
export function numberText(value: number, places = 0): string {
  const [whole = '0', fraction = ''] = Math.abs(value).toFixed(places).split('.')
  const rest = fraction.replace(/0+$/, '')
  const text = rest === '' ? thousands(whole) : `${thousands(whole)}.${rest}`
  return value < 0 && text !== '0' ? `−${text}` : text
}

/** Cores from thousandths: 3920 → "3.92 cores". */
export const coresText = (cpuMilli: number): string => {
  const text = numberText(cpuMilli / 1000, 2)
  return `${text} ${text === '1' ? 'core' : 'cores'}`
}

/** Bytes in the largest of `units` they fill, each `step` of the one before. */
function bytesIn(bytes: number, step: number, units: readonly string[]): string {
  let value = bytes
  let unit = 0
  while (Math.abs(value) >= step && unit < units.length - 1) {
    value /= step
    unit++
  }
  return `${numberText(value, unit === 0 ? 0 : 1)} ${units[unit] ?? 'B'}`
}

/** Bytes in binary units, one decimal: 14283282841 → "13.3 GiB". */
export const bytesText = (bytes: number): string =>
  bytesIn(bytes, 1024, ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'])

/** Bytes as drives and links are labelled, in powers of 1,000: 64000000000 → "64 GB". */
export const decimalBytesText = (bytes: number): string =>
  bytesIn(bytes, 1000, ['B', 'kB', 'MB', 'GB', 'TB', 'PB'])

/** What is promised of the time in a month of 730 hours (percent), and how long that leaves it down; null promises nothing. */
export const promiseText = (percent: number | null): string =>
  percent === null
    ? 'promises nothing'
    : `promises ${numberText(percent, 3)} %: down at most ${durationText((1 - percent / 100) * 730 * 3600)} a month`

/** A duration in the largest two fitting units: 45 → "45 s", 580 → "9 min 40 s", 8000 → "2 h 13 min". */
export function durationText(seconds: number): string {
  const s = Math.max(0, Math.round(seconds))
  if (s < 60) return `${s} s`
  const minutes = Math.floor(s / 60)
  if (minutes < 60)
    return s % 60 === 0 || minutes >= 10
      ? `${Math.round(s / 60)} min`
      : `${minutes} min ${s % 60} s`
  const hours = Math.floor(s / 3600)
  if (hours < 48)
    return Math.floor((s % 3600) / 60) === 0
      ? `${hours} h`
      : `${hours} h ${Math.floor((s % 3600) / 60)} min`
  return `${Math.floor(s / 86400)} days`
}

/** Currency-neutral units of money, two decimals; small amounts keep three. */
export const moneyText = (units: number): string =>
  numberText(units, Math.abs(units) < 0.1 && units !== 0 ? 3 : 2)

const plurals = new Intl.PluralRules('en')

/** "1 node", "3 nodes"; `plural` where an s is not enough, or where a verb follows: "1 node is", "3 nodes are". */
export const countText = (count: number, name: string, plural = `${name}s`): string =>
  // By the number that is read: 0.6 of a call is "1 call".
  `${numberText(count)} ${plurals.select(Number(count.toFixed(0))) === 'one' ? name : plural}`

/** "once", "twice", "3 times". */
export function timesText(count: number): string {
  if (count === 1) return 'once'
  return count === 2 ? 'twice' : countText(count, 'time')
}

/** "a", "a and b", "a, b and c"; past `most` the rest is counted. */
export function listText(items: readonly string[], max = 6): string {
  if (items.length > max) return `${items.slice(0, max).join(', ')} and ${items.length - max} more`
  if (items.length < 2) return items.join('')
  return `${items.slice(0, -1).join(', ')} and ${items[items.length - 1] ?? ''}`
}

/** A clause as the beginning of a sentence. */
export const sentenceCase = (text: string): string =>
  `${text.charAt(0).toUpperCase()}${text.slice(1)}`
