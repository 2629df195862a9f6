import type { Schemas } from '../shared/api'
import { clock } from '../shared/time'

type Lane = Schemas['Lane']
export type Mark = Schemas['Mark']

const hour = 3_600_000
export const ms = (t: string) => new Date(t).getTime()

/** Where an instant lies: the past takes a fifth of the width, the next eight hours half, what follows the rest. */
export function scale(from: number, now: number, to: number, width: number) {
  const parts = [
    [from, now, 0.22],
    [now, now + 8 * hour, 0.5],
    [now + 8 * hour, to, 0.28],
  ] as const
  return (t: number): number => {
    let x = 0
    for (const [a, b, share] of parts) {
      if (t <= b) return (x + (Math.max(0, t - a) / (b - a)) * share) * width
      x += share
    }
    return width
  }
}

const rank: Record<string, number> = { late: 0, 'due-soon': 1, running: 2, paused: 3 }

export interface Spot {
  x: number
  marks: Mark[]
  /** The mark that presses most: it gives the shape. */
  first: Mark
}

/** The marks of a lane by their places; those that would crowd each other gather into one. */
export function spots(lane: Lane, x: (t: number) => number, wide: number, most: number): Spot[] {
  const out: Spot[] = []
  for (const m of lane.marks) {
    const at = Math.min(Math.max(x(ms(m.at)), 12), most)
    const last = out.at(-1)
    if (last && at - last.x < wide) {
      last.marks.push(m)
      if ((rank[m.standing] ?? 9) < (rank[last.first.standing] ?? 9)) last.first = m
    } else out.push({ x: at, marks: [m], first: m })
  }
  return out
}

export interface Tick {
  at: number
  label: string
}

/** Midnights of the reader's zone, and the hours where they are drawn wide. */
export function ticks(from: number, now: number, to: number): Tick[] {
  const out: Tick[] = []
  const day = new Date(from)
  day.setHours(24, 0, 0, 0)
  for (; day.getTime() < to; day.setDate(day.getDate() + 1)) {
    const label = day.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric' })
    out.push({ at: day.getTime(), label })
  }
  const full = new Date(now)
  full.setMinutes(60, 0, 0)
  for (let t = full.getTime(); t <= now + 8 * hour; t += hour)
    if (!out.some((o) => o.at === t)) out.push({ at: t, label: clock(new Date(t)) })
  return out.sort((a, b) => a.at - b.at)
}

/** Marks by the days of the reader, for a small screen. */
export function byDay(lanes: Lane[]): { day: string; marks: (Mark & { vendor: string })[] }[] {
  const all = lanes.flatMap((l) => l.marks.map((m) => ({ ...m, vendor: l.vendor })))
  all.sort((a, b) => ms(a.at) - ms(b.at))
  const out: { day: string; marks: typeof all }[] = []
  for (const m of all) {
    const day = new Date(m.at).toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long' })
    if (out.at(-1)?.day === day) out.at(-1)!.marks.push(m)
    else out.push({ day, marks: [m] })
  }
  return out
}
