import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import type { Client } from 'openapi-fetch'
import { computed, ref, type Ref } from 'vue'
import { client, newKey, ok, whole, type Schemas } from '../shared/api'
import type { KindName } from './fields'

export type Members = Record<string, unknown>
export type Thing = {
  id: number
  vendor_name: string
  facts: Members & { vendor: string; name?: string; number?: string }
  cover?: Schemas['Cover']
  assets?: number
  live_cases?: number
  opened_cases?: number
  days_left?: number
  warnings?: string[]
  within?: number
  number_found?: string
  targets_since?: string
}

export const singular = (k: KindName) => k.slice(0, -1) as 'asset' | 'contract' | 'account' | 'product'
export const act = (k: KindName) => (k === 'contracts' ? 'contracts' : 'register')
export const titleOf = (t: Thing) => t.facts.name || t.facts.number || ''

/** How long a contract lasts yet: in days, or in years where days say nothing any more. */
export function left(days: number): string {
  if (days < 0) return 'ended'
  if (days > 1095) return `${Math.floor(days / 365.25)} years left`
  return days === 1 ? '1 day left' : `${days} days left`
}

export type ThingQuery = {
  vendor?: string
  words?: string
  cover?: string
  site?: string
  cursor?: string
  limit?: number
  product?: number
  account?: number
  contract?: number
  asset?: number
}

type Answer<T> = { responses: { 200: { content: { 'application/json': T } } } }
type Version = { header: { 'If-Match': string } }
// The four kinds have the same operations, so they are asked for through one of them.
type Paths = {
  '/things': {
    get: Answer<{ items: Thing[]; next?: string }> & { parameters: { query?: ThingQuery } }
    post: Answer<Thing> & {
      parameters: { header: { 'Idempotency-Key': string } }
      requestBody: { content: { 'application/json': Members } }
    }
  }
  '/things/{id}': {
    get: Answer<Thing> & { parameters: { path: { id: number }; query?: { at?: string } } }
    patch: Answer<Thing> & {
      parameters: Version & { path: { id: number }; query?: { confirm?: boolean } }
      requestBody: { content: { 'application/merge-patch+json': Members } }
    }
    delete: Answer<unknown> & { parameters: Version & { path: { id: number } } }
  }
}
const things = client as unknown as Client<Paths>
const all = (kind: KindName) => `/${kind}` as '/things'
const one = (kind: KindName) => `/${kind}/{id}` as '/things/{id}'

export const useThings = (kind: Ref<KindName>, query: Ref<ThingQuery>, enabled: Ref<boolean> = ref(true)) =>
  useQuery({
    enabled,
    queryKey: ['things', kind, query],
    queryFn: () => ok(things.GET(all(kind.value), { params: { query: query.value } })),
    placeholderData: keepPreviousData,
  })

/** A vendor's accounts, for a select; none while no vendor is chosen. */
export function useAccountOptions(vendor: Ref<string>) {
  const query = computed(() => ({ vendor: vendor.value, limit: 50 }))
  const { data } = useThings(
    ref('accounts' as const),
    query,
    computed(() => vendor.value !== ''),
  )
  const named = (k: Thing) => [k.facts.number, k.facts.name].filter(Boolean).join(', ')
  return computed(() => data.value?.items.map((k) => ({ label: named(k), value: k.id })) ?? [])
}

/**
 * A vendor's contracts in force, for a select; none while no vendor is chosen. Only those that cover the asset, where
 * any does; the one that is chosen is always among them, so that it is seen by its number.
 */
export function useContractOptions(vendor: Ref<string>, asset?: Ref<number>, chosen?: Ref<number>) {
  const some = (enabled: () => boolean, more: () => ThingQuery) =>
    useThings(
      ref('contracts' as const),
      computed(() => ({ vendor: vendor.value, cover: 'in-force', limit: 50, ...more() })),
      computed(() => vendor.value !== '' && enabled()),
    ).data
  const all = some(
    () => true,
    () => ({}),
  )
  const covering = some(
    () => !!asset?.value,
    () => ({ asset: asset?.value }),
  )
  const items = computed(() => {
    const fit = asset?.value ? covering.value?.items : undefined
    return fit?.length ? fit : all.value?.items
  })
  // The chosen one is asked for where it is not among them: it has ended, or is another vendor's.
  const absent = computed(() =>
    chosen?.value && items.value && !items.value.some((k) => k.id === chosen.value) ? chosen.value : 0,
  )
  const { data: one } = useThing(ref('contracts' as const), absent)
  return computed(() => {
    const also = absent.value ? one.value?.data : undefined
    const shown = also ? [...(items.value ?? []), also] : (items.value ?? [])
    return shown.map((k) => ({ label: `${k.facts.number}, until ${String(k.facts.ends)}`, value: k.id }))
  })
}

/** A record; of a contract, with the targets that were in force at an instant. */
export const useThing = (kind: Ref<KindName>, id: Ref<number>, at?: Ref<string | undefined>) =>
  useQuery({
    queryKey: at ? ['thing', kind, id, at] : ['thing', kind, id],
    queryFn: () => whole(things.GET(one(kind.value), { params: { path: { id: id.value }, query: { at: at?.value } } })),
    enabled: computed(() => id.value > 0),
  })

export const addThing = (kind: KindName, facts: Members) =>
  ok(things.POST(all(kind), { params: { header: { 'Idempotency-Key': newKey() } }, body: facts }))

export const changeThing = (kind: KindName, id: number, etag: string, members: Members, confirm: boolean) =>
  whole(
    things.PATCH(one(kind), {
      params: { path: { id }, header: { 'If-Match': etag }, query: confirm ? { confirm } : {} },
      body: members,
      headers: { 'Content-Type': 'application/merge-patch+json' },
    }),
  )

export const removeThing = (kind: KindName, id: number, etag: string) =>
  whole(things.DELETE(one(kind), { params: { path: { id }, header: { 'If-Match': etag } } }))

export const checkThing = (kind: KindName, id: number | undefined, members: Members) =>
  ok(client.POST('/check', { body: { kind: singular(kind), id, facts: members } }))

/** What differs between two sets of facts, as a merge patch. */
export function difference(before: Members, after: Members): Members {
  const patch: Members = {}
  for (const k of new Set([...Object.keys(before), ...Object.keys(after)])) {
    const a = before[k]
    const b = after[k]
    if (JSON.stringify(a) === JSON.stringify(b)) continue
    const plain = (x: unknown): x is Members => !!x && typeof x === 'object' && !Array.isArray(x)
    patch[k] = b === undefined ? null : plain(a) && plain(b) ? difference(a, b) : b
  }
  return patch
}
