export type KindName = 'assets' | 'contracts' | 'accounts' | 'products'
/** What the form can fill in: a kind of thing, a vendor, or our own policy. */
export type FormName = KindName | 'vendors' | 'policy'

export type Field = {
  key: string
  label: string
  type?: 'text' | 'long' | 'lines' | 'date' | 'choice' | 'yes' | 'number' | 'named' | 'rows' | 'pairs' | 'calendar'
  choices?: string[]
  /** The kind of thing that its names come from. */
  of?: KindName
  columns?: {
    key: string
    label: string
    type?: 'date' | 'choice' | 'level' | 'calendar' | 'yes' | 'number' | 'list' | 'numbers' | 'lines'
    choices?: string[]
    wide?: boolean
  }[]
  /** What a new line begins with. */
  line?: Record<string, unknown>
  hint?: string
}
export type Group = { title: string; fields: Field[] }

/** Kinds of case, and the ways to a vendor. */
export const kinds = 'fault question capacity money licence order wish work part visit access'.split(' ')

export const ways = ['api', 'email', 'portal', 'phone', 'chat']

export const promise: NonNullable<Field['columns']> = [
  {
    key: 'deadline',
    label: 'Promise',
    type: 'choice',
    choices: ['first-response', 'update', 'workaround', 'resolution'],
    wide: true,
  },
  { key: 'target', label: 'Within' },
  { key: 'calendar', label: 'Counted in', type: 'calendar', wide: true },
  { key: 'kind', label: 'Only kind', type: 'choice', choices: kinds },
  { key: 'channel', label: 'Only by', type: 'choice', choices: ways },
  { key: 'country', label: 'Only in' },
]
