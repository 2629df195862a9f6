import { useIntervalFn } from '@vueuse/core'
import { computed, shallowRef, type ComputedRef } from 'vue'

// The desk's clock beside this machine's: in a rehearsal it is another, and runs faster.
const set = shallowRef({ desk: 0, here: 0, speed: 1 })

/** The time by which the desk goes. */
export const now = (): Date => {
  const { desk, here, speed } = set.value
  return new Date(desk + (Date.now() - here) * speed)
}

/** Says what the desk's clock showed at an instant of this machine's, and how many times faster than it it runs. */
export function setClock(desk: string, here: number, speed = 1): void {
  set.value = { desk: Date.parse(desk), here, speed }
}

/** The desk's clock, ticking slowly enough to read by. */
export function useClock(): ComputedRef<Date> {
  const tick = shallowRef(0)
  useIntervalFn(
    () => tick.value++,
    () => (set.value.speed > 1 ? 1_000 : 10_000),
  )
  return computed(() => (void tick.value, now()))
}

const at = (t: string | Date) => (t instanceof Date ? t : new Date(t))
// To make a format takes much longer than to use one, and a list of cases uses hundreds.
const formats = new Map<string, Intl.DateTimeFormat>()
function fmt(o: Intl.DateTimeFormatOptions, zone?: string): Intl.DateTimeFormat {
  const key = JSON.stringify(o) + zone
  let f = formats.get(key)
  if (!f) formats.set(key, (f = new Intl.DateTimeFormat('en-GB', { ...o, timeZone: zone })))
  return f
}

const differ = (a: Date, b: Date, part: Intl.DateTimeFormatOptions, zone?: string) =>
  fmt(part, zone).format(a) !== fmt(part, zone).format(b)

/** A weekday and its date, with the month where it is not that of another instant. */
const weekday = (d: Date, beside: Date, zone?: string): string => {
  const month: Intl.DateTimeFormatOptions = { month: 'short' }
  return fmt({ weekday: 'short', day: 'numeric', ...(differ(d, beside, month, zone) ? month : {}) }, zone).format(d)
}

/** Short: the time today, the day within a week, else the date; the month and the year where they are not plain. */
export function short(t: string | undefined, now: Date, zone?: string): string {
  if (!t) return ''
  const d = at(t)
  const time = fmt({ hour: '2-digit', minute: '2-digit' }, zone).format(d)
  if (!differ(d, now, { dateStyle: 'short' }, zone)) return time
  const days = Math.abs(d.getTime() - now.getTime()) / 86_400_000
  if (days < 6) return `${weekday(d, now, zone)}, ${time}`
  return (
    fmt({ day: 'numeric', month: 'short', ...(days > 300 ? { year: 'numeric' } : {}) }, zone).format(d) +
    (days > 300 ? '' : `, ${time}`)
  )
}

/** A day beside another: the month is said where it is not the other's, the year instead of the weekday likewise. */
export const dayAfter = (d: Date, before: Date): string =>
  differ(d, before, { year: 'numeric' })
    ? fmt({ day: 'numeric', month: 'short', year: 'numeric' }).format(d)
    : weekday(d, before)

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

/** How long something took at most: a minute at least, as an answer outside the hours took no covered time. */
export const took = (s: number): string => span(Math.max(s, 60))

/** The zone of this browser, in which times are read and typed. */
export const zoneHere = (): string => Intl.DateTimeFormat().resolvedOptions().timeZone

/** An instant as a field for date and time has it, in the zone of this browser. */
export function forInput(t: string): string {
  const d = at(t)
  return new Date(d.getTime() - d.getTimezoneOffset() * 60_000).toISOString().slice(0, 16)
}

/** What such a field says, as an instant. */
export const fromInput = (s: string): string => new Date(s).toISOString()
