/** How long a stopped cluster is kept, in months. */
export const keptMonths = 9

/** The day until which a cluster that was stopped at an instant is kept. */
export function keptUntil(since: string): string {
  const date = new Date(since)
  date.setUTCMonth(date.getUTCMonth() + keptMonths)
  return date.toISOString().slice(0, 10)
}
