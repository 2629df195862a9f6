import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, newKey, ok, whole, type Schemas } from './api'

export type KindName = 'assets' | 'contracts' | 'accounts' | 'products'
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

export type Field = {
  key: string
  label: string
  type?: 'text' | 'long' | 'lines' | 'date' | 'choice' | 'yes' | 'number' | 'named' | 'rows' | 'pairs'
  choices?: string[]
  /** The kind of thing that its names come from. */
  of?: KindName
  columns?: { key: string; label: string; type?: 'date' | 'choice' | 'level' | 'calendar'; choices?: string[]; wide?: boolean }[]
  hint?: string
}
export type Group = { title: string; fields: Field[] }

const kinds = ['fault', 'question', 'capacity', 'money', 'licence', 'purchase', 'wish', 'task', 'part', 'visit', 'access']

/** What is known of each kind of thing, in the order in which people fill it in. */
export const forms: Record<KindName, Group[]> = {
  assets: [
    { title: 'What it is', fields: [
      { key: 'name', label: 'Name' }, { key: 'product', label: 'Product', type: 'named', of: 'products' }, { key: 'version', label: 'Version' }, { key: 'serial', label: 'Serial number' }, { key: 'model', label: 'Model' },
      { key: 'resource_id', label: 'Resource identifier', hint: 'how a cloud calls it' }, { key: 'system', label: 'Operating system' }, { key: 'environment', label: 'Environment', type: 'choice', choices: ['production', 'other'] }] },
    { title: 'Under what', fields: [
      { key: 'contract', label: 'Contract', type: 'named', of: 'contracts', hint: 'only where one names it' }, { key: 'account', label: 'Account', type: 'named', of: 'accounts' }, { key: 'region', label: 'Region' },
      { key: 'owner', label: 'Ours for it' }, { key: 'start_with', label: 'Start with', hint: 'where that is not the vendor' }] },
    { title: 'Where it stands', fields: [
      { key: 'site', label: 'Site' }, { key: 'address', label: 'Address', type: 'long' }, { key: 'country', label: 'Country', hint: 'two letters' }, { key: 'site_contact', label: 'Whom to ask there' }, { key: 'site_phone', label: 'Phone there' },
      { key: 'number_found', label: 'Where its number stands', type: 'long', hint: 'if not as on others of its product' }] },
    { title: 'Support for its platform', fields: [
      { key: 'platform.supported', label: 'Supported', type: 'choice', choices: ['yes', 'no', 'unknown'] }, { key: 'platform.until', label: 'Until', type: 'date' }, { key: 'platform.source', label: 'Who says so' }, { key: 'platform.checked', label: 'Looked up on', type: 'date' }] },
    { title: 'Of our own', fields: [{ key: 'attributes', label: 'Attributes', type: 'pairs' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
  contracts: [
    { title: 'The paper', fields: [
      { key: 'number', label: 'Number' }, { key: 'level', label: 'Kind of support', hint: 'in the vendor’s words' }, { key: 'starts', label: 'Starts', type: 'date' }, { key: 'ends', label: 'Ends', type: 'date' },
      { key: 'notice', label: 'Last date for notice', type: 'date' }, { key: 'country', label: 'Country', hint: 'two letters' }] },
    { title: 'What it covers', fields: [
      { key: 'everything', label: 'Everything of theirs', type: 'yes' }, { key: 'products', label: 'Products', type: 'lines', of: 'products' }, { key: 'accounts', label: 'Accounts', type: 'lines', of: 'accounts' },
      { key: 'rights', label: 'We may ask for', type: 'lines' }, { key: 'exclusions', label: 'Not covered', type: 'long' }] },
    { title: 'Paid ahead', fields: [
      { key: 'allowance.unit', label: 'Counted in', type: 'choice', choices: ['cases', 'hours'] }, { key: 'allowance.amount', label: 'How many', type: 'number' }, { key: 'allowance.used', label: 'Used', type: 'number', hint: 'beside what the desk counts' }] },
    { title: 'What is promised', fields: [
      { key: 'terms', label: 'Promises', type: 'rows', columns: [
        { key: 'level', label: 'Level', type: 'level' }, { key: 'deadline', label: 'Promise', type: 'choice', choices: ['first-response', 'update', 'workaround', 'resolution'], wide: true }, { key: 'target', label: 'Within' },
        { key: 'calendar', label: 'Counted in', type: 'calendar', wide: true }, { key: 'kind', label: 'Only kind', type: 'choice', choices: kinds }, { key: 'channel', label: 'Only by', type: 'choice', choices: ['api', 'mail', 'portal', 'phone', 'chat'] }, { key: 'country', label: 'Only in' }] },
      { key: 'on_change', label: 'On a change of level', type: 'choice', choices: ['by-direction', 'restart', 'keep'] }, { key: 'while_ours', label: 'While the move is ours', type: 'choice', choices: ['pause', 'run'] }] },
    { title: 'Of our own', fields: [{ key: 'note', label: 'Note', type: 'long' }] },
  ],
  accounts: [
    { title: 'The account', fields: [
      { key: 'number', label: 'Number or name' }, { key: 'called', label: 'What they call it', hint: 'tenant, customer number' }, { key: 'name', label: 'What it is for' }, { key: 'regions', label: 'Regions', type: 'lines' },
      { key: 'country', label: 'Country', hint: 'two letters' }, { key: 'holder', label: 'Who has the secret part' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
  products: [
    { title: 'The product', fields: [
      { key: 'name', label: 'Name' }, { key: 'our_names', label: 'What we call it', type: 'lines' }, { key: 'components', label: 'Components', type: 'lines' },
      { key: 'versions', label: 'Versions', type: 'rows', columns: [{ key: 'name', label: 'Version' }, { key: 'supported_until', label: 'Supported until', type: 'date' }, { key: 'note', label: 'Note', wide: true }] },
      { key: 'number_found', label: 'Where its number stands', type: 'long' }, { key: 'note', label: 'Note', type: 'long' }] },
  ],
}

export const singular = (k: KindName) => k.slice(0, -1) as 'asset' | 'contract' | 'account' | 'product'
export const act = (k: KindName) => (k === 'contracts' ? 'contracts' : 'register')
export const titleOf = (t: Thing) => t.facts.name || t.facts.number || ''

export type ThingQuery = { vendor?: string; words?: string; cover?: string; site?: string; cursor?: string; limit?: number; product?: number; account?: number; contract?: number }

const list = (kind: KindName, query: ThingQuery) => ok(client.GET(`/${kind}`, { params: { query: query as never } })) as unknown as Promise<{ items: Thing[]; next?: string }>

export const useThings = (kind: Ref<KindName>, query: Ref<ThingQuery>) =>
  useQuery({ queryKey: ['things', kind, query], queryFn: () => list(kind.value, query.value), placeholderData: keepPreviousData })

export const useThing = (kind: Ref<KindName>, id: Ref<number>) =>
  useQuery({
    queryKey: ['thing', kind, id],
    queryFn: () => whole(client.GET(`/${kind.value}/{id}`, { params: { path: { id: id.value } } })) as unknown as Promise<{ data: Thing; etag: string }>,
    enabled: computed(() => id.value > 0),
  })

export const addThing = (kind: KindName, facts: Members) =>
  ok(client.POST(`/${kind}`, { params: { header: { 'Idempotency-Key': newKey() } }, body: facts as never })) as unknown as Promise<Thing>

export const changeThing = (kind: KindName, id: number, etag: string, members: Members, meant: boolean) =>
  whole(client.PATCH(`/${kind}/{id}`, { params: { path: { id }, header: { 'If-Match': etag }, query: (meant ? { meant } : {}) as never }, body: members as never, headers: { 'Content-Type': 'application/merge-patch+json' } })) as unknown as Promise<{ data: Thing; etag: string }>

export const removeThing = (kind: KindName, id: number, etag: string) => whole(client.DELETE(`/${kind}/{id}`, { params: { path: { id }, header: { 'If-Match': etag } } }))

export const checkThing = (kind: KindName, id: number | undefined, members: Members) => ok(client.POST('/check', { body: { kind: singular(kind), id, members } }))

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
