import type { Case, Facts, Texts } from '../shared/api'
import { label } from '../shared/words'

/** What is typed into the page on which a case is opened. */
export type Form = {
  vendor: string | null
  maker: string | null
  asset: number | null
  account: number | null
  contract: number | null
  title: string
  kind: string
  facts: Facts
  texts: Texts
  answers: Record<string, string>
  severity: number | null
  severity_reason: string
  go_on_reason: string
  unsorted: Record<'vendor' | 'product' | 'kind', string>
  ticket: string
}

/** A form that nobody has typed into. */
export const empty = (): Form => ({
  vendor: null,
  maker: null,
  asset: null,
  account: null,
  contract: null,
  title: '',
  kind: 'fault',
  facts: {},
  texts: {},
  answers: {},
  severity: null,
  severity_reason: '',
  go_on_reason: '',
  unsorted: { vendor: '', product: '', kind: '' },
  ticket: '',
})

/** The vendor of a case whose vendor is not known yet. */
const nobody = 'not-known-yet'

/** What a draft says, as the page's form has it. */
export const formOf = (c: Case): Form => ({
  vendor: c.line.vendor_key === nobody ? null : c.line.vendor_key,
  maker: c.maker_key ?? null,
  asset: c.asset_id ?? null,
  account: c.account_id ?? null,
  contract: c.contract_id ?? null,
  title: c.line.title,
  kind: c.line.kind,
  facts: { ...c.facts },
  texts: { ...c.texts },
  answers: Object.fromEntries((c.asked ?? []).filter((q) => q.given).map((q) => [q.key, q.answer ?? ''])),
  severity: c.severity_supported && c.line.severity !== c.severity_supported ? (c.line.severity ?? null) : null,
  severity_reason: c.severity_chosen_because ?? '',
  go_on_reason: c.go_on_reason ?? '',
  unsorted: { vendor: c.unsorted?.vendor ?? '', product: c.unsorted?.product ?? '', kind: c.unsorted?.kind ?? '' },
  ticket: c.references.find((r) => r.whose === 'ours')?.value ?? '',
})

const groups = ['facts', 'texts', 'answers', 'unsorted'] as const
type Group = (typeof groups)[number]
export type Value = string | number | boolean | null | undefined
/** A form field by field, under the names of the API: texts.happened, answers.tenant. */
export type Flat = Record<string, Value>

/** A form field by field. */
export function flat(f: Form): Flat {
  const out: Flat = {}
  for (const [k, v] of Object.entries(f))
    if (groups.includes(k as Group))
      for (const [member, inner] of Object.entries(v as Record<string, Value>)) out[`${k}.${member}`] = inner
    else out[k] = v as Value
  return out
}

/** Whether two fields say the same: spaces at the end are somebody still typing, and nothing is as good as empty. */
export const same = (a: Value, b: Value): boolean => {
  const plain = (v: Value) => (typeof v === 'string' ? v.trim() : v === false ? '' : (v ?? ''))
  return plain(a) === plain(b)
}

/** Puts a value into a form. */
export function put(f: Form, field: string, v: Value): void {
  const [group, member] = field.split('.', 2) as [Group, string | undefined]
  if (member) (f[group] as Record<string, Value>)[member] = v
  else (f as unknown as Flat)[field] = v
}

/** What was typed since the form was read, as the API takes it (a merge patch). */
export function typed(was: Flat, now: Form, but: (field: string) => boolean): Record<string, unknown> {
  const out: Record<string, unknown> = {}
  for (const [field, v] of Object.entries(flat(now))) {
    if ((field === 'vendor' && !v) || same(v, was[field]) || but(field)) continue
    const [group, member] = field.split('.', 2) as [string, string | undefined]
    if (!member) out[field] = field === 'title' ? String(v).trim() : field === 'ticket' ? v || null : v
    else out[group] = { ...(out[group] as object), [member]: v }
  }
  return out
}

/**
 * Takes what somebody else changed into a form. was is what the form was read as, theirs what the draft says now. A
 * field into which something was typed keeps it; those that both changed are given by name.
 */
export function takeIn(form: Form, was: Flat, theirs: Form): string[] {
  const mine = flat(form)
  const now = flat(theirs)
  const both: string[] = []
  for (const field of new Set([...Object.keys(mine), ...Object.keys(now)])) {
    if (same(now[field], was[field]) || same(now[field], mine[field])) continue
    if (same(mine[field], was[field])) put(form, field, now[field])
    else both.push(field)
  }
  return both
}

// What the page writes above its fields, but for the parts of the description and the vendor's questions.
const heads = new Map([
  ['title', 'Title'],
  ['vendor', 'Vendor'],
  ['maker', 'Maker'],
  ['account', 'Account'],
  ['go_on_reason', 'Reason to go on'],
  ['unsorted.vendor', 'Unknown vendor'],
  ['unsorted.product', 'Unknown product'],
  ['unsorted.kind', 'Unknown kind'],
  ['asset', 'Asset'],
  ['contract', 'Contract'],
  ['kind', 'Kind'],
  ['ticket', 'Our ticket'],
  ['severity', 'Override severity'],
  ['severity_reason', 'Reason for overriding'],
  ['facts.environment', 'Where'],
  ['facts.effect', 'The service is'],
  ['facts.reach', 'Who is affected'],
  ['facts.workaround', 'Workaround'],
  ['facts.exposure', 'Data being lost or exposed'],
  ['facts.needed_by', 'Needed by'],
  ['texts.affected', 'Affected'],
  ['texts.contact', 'Contact'],
  ['texts.contact_always', 'Contact round the clock'],
  ['texts.contact_by', 'Reach us by'],
  ['texts.call_from', 'Callback from'],
  ['texts.call_until', 'Callback until'],
  ['texts.on_site', 'Contact on site'],
  ['texts.copy_to', 'People to copy'],
  ['texts.instructions', 'Special instructions'],
])

/** How a field is called on the page. */
export function called(field: string, c: Case | undefined): string {
  const [group, member] = field.split('.', 2) as [string, string | undefined]
  const head = heads.get(field)
  if (head) return head
  if (group === 'answers') return c?.asked?.find((q) => q.key === member)?.label ?? member ?? field
  return c?.parts?.find((p) => p.key === member)?.label ?? label('Texts', member)
}

/** What a field of a draft says, as the page shows it. */
export function said(field: string, v: Value, c?: Case): string {
  if (c && field === 'asset') return c.asset ?? 'nothing'
  if (c && field === 'contract') return c.contract ?? 'nothing'
  if (c && field === 'account') return c.account ?? 'nothing'
  if (v === undefined || v === null || v === '') return 'nothing'
  if (field === 'kind') return label('CaseKind', String(v))
  if (/^facts\.(environment|effect|reach|workaround)$/.test(field))
    return label(`Facts.${field.slice(6)}` as 'Facts.effect', String(v))
  if (field === 'texts.contact_by') return label('Texts.contact_by', String(v))
  return v === true ? 'yes' : String(v)
}
