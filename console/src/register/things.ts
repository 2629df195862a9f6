import { keepPreviousData, useQuery } from '@tanstack/vue-query'
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
}

export const singular = (k: KindName) => k.slice(0, -1) as 'asset' | 'contract' | 'account' | 'product'
export const act = (k: KindName) => (k === 'contracts' ? 'contracts' : 'register')
export const titleOf = (t: Thing) => t.facts.name || t.facts.number || ''

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
}

const list = (kind: KindName, query: ThingQuery) =>
  ok(client.GET(`/${kind}`, { params: { query: query as never } })) as unknown as Promise<{
    items: Thing[]
    next?: string
  }>

export const useThings = (kind: Ref<KindName>, query: Ref<ThingQuery>, enabled: Ref<boolean> = ref(true)) =>
  useQuery({
    enabled,
    queryKey: ['things', kind, query],
    queryFn: () => list(kind.value, query.value),
    placeholderData: keepPreviousData,
  })

export const useThing = (kind: Ref<KindName>, id: Ref<number>) =>
  useQuery({
    queryKey: ['thing', kind, id],
    queryFn: () =>
      whole(client.GET(`/${kind.value}/{id}`, { params: { path: { id: id.value } } })) as unknown as Promise<{
        data: Thing
        etag: string
      }>,
    enabled: computed(() => id.value > 0),
  })

export const addThing = (kind: KindName, facts: Members) =>
  ok(
    client.POST(`/${kind}`, { params: { header: { 'Idempotency-Key': newKey() } }, body: facts as never }),
  ) as unknown as Promise<Thing>

export const changeThing = (kind: KindName, id: number, etag: string, members: Members, meant: boolean) =>
  whole(
    client.PATCH(`/${kind}/{id}`, {
      params: { path: { id }, header: { 'If-Match': etag }, query: (meant ? { meant } : {}) as never },
      body: members as never,
      headers: { 'Content-Type': 'application/merge-patch+json' },
    }),
  ) as unknown as Promise<{ data: Thing; etag: string }>

export const removeThing = (kind: KindName, id: number, etag: string) =>
  whole(client.DELETE(`/${kind}/{id}`, { params: { path: { id }, header: { 'If-Match': etag } } }))

export const checkThing = (kind: KindName, id: number | undefined, members: Members) =>
  ok(client.POST('/check', { body: { kind: singular(kind), id, members } }))

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
