export { GB, GiB, KiB, MiB, parseAmount, parseBytes, parseCpuMilli, type Parsed } from './quantity'
export {
  bytesText,
  coresText,
  countText,
  decimalBytesText,
  promiseText,
  timesText,
  durationText,
  listText,
  moneyText,
  numberText,
  sentenceCase,
} from './text'
export { compareReleases, minorLine, minorsBehind, parseVersion, type Version } from './version'
export { exhaustive } from './exhaustive'
export { compareText } from './order'
export { seeded } from './seeded'
export { isoTime } from './time'
export { unguarded, writeCsv } from './csv'
export { quantile } from './quantile'
