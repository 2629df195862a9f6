import { choicesOf, label, target, type Enum } from '../shared/words'

export type KindName = 'assets' | 'contracts' | 'accounts' | 'products'
/** What the form can fill in: a kind of thing, a vendor, or our own policy. */
export type FormName = KindName | 'vendors' | 'policy'

export type Field = {
  key: string
  label: string
  type?:
    | 'text'
    | 'long'
    | 'lines'
    | 'date'
    | 'choice'
    | 'yes'
    | 'number'
    | 'named'
    | 'rows'
    | 'pairs'
    | 'calendar'
    | 'target'
  /** The enum of its values, where it is one, and which of them it offers. */
  values?: Enum
  only?: string[]
  /** The kind of thing that its names come from. */
  of?: KindName
  columns?: {
    key: string
    label: string
    type?: 'date' | 'choice' | 'level' | 'calendar' | 'yes' | 'number' | 'list' | 'numbers' | 'lines' | 'target'
    values?: Enum
    only?: string[]
    any?: string
    wide?: boolean
  }[]
  /** What a new line begins with. */
  line?: Record<string, unknown>
  hint?: string
}
export type Group = { title: string; fields: Field[] }

type Choice = { values?: Enum; only?: string[]; any?: string }

/** The values that a choice offers, with their labels. */
export const offered = (c: Choice): { label: string; value: string }[] => [
  ...(c.any ? [{ label: 'Any', value: c.any }] : []),
  ...choicesOf(c.values!).filter((o) => !c.only || c.only.includes(o.value)),
]

/** A value as people read it: by its label, as a target, or as it is. */
export function inWords(c: Choice & { type?: string }, v: unknown): string {
  if (v === true) return 'yes'
  if (v === undefined || v === null || v === false) return ''
  if (Array.isArray(v)) return v.map((x) => inWords(c, x)).join(', ')
  if (c.any && v === c.any) return 'Any'
  if (c.type === 'target') return target(String(v as string))
  return c.values ? label(c.values, String(v as string)) : String(v as string)
}

export const targets: NonNullable<Field['columns']> = [
  {
    key: 'deadline',
    label: 'Deadline',
    type: 'choice',
    values: 'DeadlineKind',
    only: ['first-response', 'update', 'workaround', 'resolution'],
    wide: true,
  },
  { key: 'target', label: 'Target', type: 'target' },
  { key: 'calendar', label: 'Calendar', type: 'calendar', wide: true },
  { key: 'kind', label: 'Only for kind', type: 'choice', values: 'CaseKind' },
  { key: 'channel', label: 'Only by', type: 'choice', values: 'Channel' },
  { key: 'country', label: 'Only in country' },
]
