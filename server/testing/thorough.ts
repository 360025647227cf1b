/**
 * How often a test repeats what one time alone would not prove: as often as it takes for days without a failure to say
 * something, where a thorough run was asked for (`npm test -- --thorough`), else as often as a change has to wait for.
 */
export const repeats = (thorough: number, quick: number): number =>
  process.env['GYRARCH_THOROUGH'] === 'yes' ? thorough : quick
