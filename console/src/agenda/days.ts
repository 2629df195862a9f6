import type { Schemas } from '../shared/api'

export type Event = Schemas['AgendaEvent']
export interface Day {
  date: Date
  events: Event[]
  /** Who is on the rota that day, and whether nobody is for some of it. */
  onRota: string[]
  gap: boolean
}

/** The day on which a date falls, at its beginning, in the zone of the browser. */
export const dayOf = (d: Date): Date => new Date(d.getFullYear(), d.getMonth(), d.getDate())
export const plus = (d: Date, days: number): Date => new Date(d.getFullYear(), d.getMonth(), d.getDate() + days)
/** Monday of the week of a date. */
export const monday = (d: Date): Date => plus(dayOf(d), -((d.getDay() + 6) % 7))
/** A date for an address, such as 2026-11-30. */
export const named = (d: Date): string =>
  `${d.getFullYear()}-${String(d.getMonth() + 1).padStart(2, '0')}-${String(d.getDate()).padStart(2, '0')}`
/** The date that an address names; undefined where it names none. */
export function parsed(s: string | undefined): Date | undefined {
  const m = /^(\d{4})-(\d{2})-(\d{2})$/.exec(s ?? '')
  const d = m ? new Date(Number(m[1]), Number(m[2]) - 1, Number(m[3])) : undefined
  return d && !Number.isNaN(d.getTime()) ? d : undefined
}

/** When something is due: its end. All day is the date itself, whatever the zone. */
export const dueOf = (e: Event): Date => {
  const t = new Date(e.all_day ? e.start : e.end)
  return e.all_day ? new Date(t.getUTCFullYear(), t.getUTCMonth(), t.getUTCDate()) : t
}

/** Puts events into the days of a span; shifts and gaps of the rota stand at the head of each day that they touch. */
export function byDay(from: Date, days: number, events: Event[], gaps: Schemas['Gap'][]): Day[] {
  return Array.from({ length: days }, (_, n) => {
    const [begin, end] = [plus(from, n), plus(from, n + 1)]
    const touches = (a: string, b?: string) => new Date(a) < end && (!b || new Date(b) > begin)
    return {
      date: begin,
      events: events.filter((e) => e.kind !== 'shift' && dueOf(e) >= begin && dueOf(e) < end),
      onRota: [
        ...new Set(
          events
            .filter((e) => e.kind === 'shift' && touches(e.start, e.end))
            .map((e) => e.title.replace(/^[^:]*: /, '')),
        ),
      ],
      gap: gaps.some((g) => touches(g.from, g.until)),
    }
  })
}
