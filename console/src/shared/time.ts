import { useNow } from '@vueuse/core'

/** A clock that ticks slowly enough to read by. */
export const useClock = () => useNow({ interval: 10_000 })

const at = (t: string | Date) => (t instanceof Date ? t : new Date(t))
const fmt = (o: Intl.DateTimeFormatOptions, zone?: string) => new Intl.DateTimeFormat('en-GB', { ...o, timeZone: zone })

/** Short: the time today, the day within a week, else the date; the month and the year where they are not plain. */
export function short(t: string | undefined, now: Date, zone?: string): string {
  if (!t) return ''
  const d = at(t)
  const time = fmt({ hour: '2-digit', minute: '2-digit' }, zone).format(d)
  const key = (x: Date) => fmt({ dateStyle: 'short' }, zone).format(x)
  if (key(d) === key(now)) return time
  const days = Math.abs(d.getTime() - now.getTime()) / 86_400_000
  if (days < 6) {
    const month = (x: Date) => fmt({ month: 'short' }, zone).format(x)
    const day = fmt({ weekday: 'short', day: 'numeric' }, zone).format(d)
    return `${day}${month(d) === month(now) ? '' : ` ${month(d)}`}, ${time}`
  }
  return (
    fmt({ day: 'numeric', month: 'short', ...(days > 300 ? { year: 'numeric' } : {}) }, zone).format(d) +
    (days > 300 ? '' : `, ${time}`)
  )
}

/** A day beside another: its month, or month and year instead of the weekday, where they are not the other's. */
export function dayAfter(d: Date, before: Date): string {
  const year = d.getFullYear() !== before.getFullYear()
  const month = year || d.getMonth() !== before.getMonth()
  return fmt({
    day: 'numeric',
    ...(year ? { year: 'numeric' } : { weekday: 'short' }),
    ...(month ? { month: 'short' } : {}),
  }).format(d)
}

/** In full, with its zone. */
export const full = (t: string | undefined, zone?: string): string =>
  t
    ? fmt(
        {
          weekday: 'short',
          day: 'numeric',
          month: 'short',
          year: 'numeric',
          hour: '2-digit',
          minute: '2-digit',
          second: '2-digit',
          timeZoneName: 'short',
        },
        zone,
      ).format(at(t))
    : ''

export const clock = (d: Date, zone?: string): string => fmt({ hour: '2-digit', minute: '2-digit' }, zone).format(d)
export const longDay = (d: Date, zone?: string): string =>
  fmt({ weekday: 'long', day: 'numeric', month: 'long' }, zone).format(d)

/** Seconds in the two largest units. */
export function span(s: number): string {
  if (s < 60) return `${s} s`
  if (s < 3600) return `${Math.floor(s / 60)} min`
  const h = Math.floor(s / 3600)
  const m = Math.floor((s % 3600) / 60)
  return m === 0 || h >= 100 ? `${h} h` : `${h} h ${m} min`
}
