import { useQuery } from '@tanstack/vue-query'
import { client, ok, type Schemas } from '../shared/api'
import type { CaseQuery } from './queries'

export type Column = Schemas['CaseColumn']
export type View = Schemas['View']
export const usualColumns: Column[] = [
  'severity',
  'case',
  'title',
  'vendor',
  'reference',
  'state',
  'standing',
  'due',
  'waiting',
  'next',
  'owner',
]

export const useViews = () => useQuery({ queryKey: ['views'], queryFn: () => ok(client.GET('/views')) })

/** How many hours an address means by 8h; undefined for none. */
export const hours = (h: unknown) => (typeof h === 'string' && Number(h.replace(/h$/, ''))) || undefined

/** What a list is narrowed by, to be kept or exported: a time like "within 8 hours" stays one. */
export function kept(q: CaseQuery, address: { next?: string; due?: string }): Schemas['CaseQuery'] {
  const out: Record<string, unknown> = { ...q, next_within: hours(address.next), due_within: hours(address.due) }
  for (const k of ['cursor', 'limit', 'next_before', 'due_before']) delete out[k]
  return JSON.parse(JSON.stringify(out)) as Schemas['CaseQuery']
}

/** The address under which a kept view is shown. */
export function addressOf(v: View): Record<string, string> {
  const q = v.query
  const out: Record<string, string | undefined> = {
    state: q.unsorted ? 'unsorted' : (q.state?.join(',') ?? 'all'),
    vendor: q.vendor?.join(','),
    kind: q.kind?.join(','),
    severity: q.severity?.join(','),
    move: q.move,
    whose: q.person ? undefined : q.whose,
    person: q.person,
    words: q.words,
    asset: q.asset?.toString(),
    account: q.account?.toString(),
    contract: q.contract?.toString(),
    show: q.late ? 'late' : q.unread ? 'unread' : q.not_confirmed ? 'not-confirmed' : undefined,
    next: q.next_within ? `${q.next_within}h` : undefined,
    due: q.due_within ? `${q.due_within}h` : undefined,
    origin: q.origin,
    reference: q.no_reference ? 'none' : undefined,
    sort: q.sort,
    cols: v.columns.length ? v.columns.join(',') : undefined,
    view: v.name,
  }
  return Object.fromEntries(Object.entries(out).filter(([, x]) => x)) as Record<string, string>
}
