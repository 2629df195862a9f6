import type { Schemas } from '../shared/api'
import { fromInput } from '../shared/time'

type Key = keyof Schemas['DateDetails']
/** Details as a form has them: texts, times as its fields write them. */
export type Details = Partial<Record<Key, string>>

const table: Record<string, [Key, string][]> = {
  callback: [
    ['from', 'From'],
    ['who', 'Who calls'],
    ['number', 'Number'],
  ],
  part: [
    ['number', 'Part number'],
    ['who', 'Carrier'],
    ['place', 'Delivered to'],
    ['sent_at', 'Sent'],
  ],
  'part-return': [
    ['number', 'Part number'],
    ['who', 'Carrier'],
  ],
  visit: [
    ['from', 'From'],
    ['who', 'Who comes'],
    ['place', 'Where'],
    ['lets_in', 'Let in by'],
  ],
  'remote-session': [
    ['from', 'From'],
    ['who', 'Who connects'],
    ['place', 'Connects to'],
  ],
  consent: [['who', 'Who gives it']],
}

/** The details that a kind of date has. */
export const detailFields = (kind: string) =>
  (table[kind] ?? []).map(([key, label]) => ({ key, label, time: key === 'from' || key === 'sent_at' }))

/** Details as the API takes them; undefined for none. */
export function detailsOf(kind: string, d: Details): Schemas['DateDetails'] | undefined {
  const out: Details = {}
  for (const f of detailFields(kind)) {
    const text = d[f.key]?.trim()
    if (text) out[f.key] = f.time ? fromInput(text) : text
  }
  return Object.keys(out).length ? out : undefined
}

/** Where a calendar program's file of a date is. */
export const eventFile = (number: string, item: string): string =>
  `/api/v1/cases/${number}/events?item=${encodeURIComponent(item)}`
