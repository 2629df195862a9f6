import { labels } from './words.gen'

/** An enum of the API that has labels. */
export type Enum = keyof typeof labels

/** What people read of a value; an unknown one is its own label. */
export const label = (of: Enum, value: string | undefined): string =>
  (labels[of] as Record<string, string>)[value ?? ''] ?? value ?? ''

/** The values of an enum, as a field offers them. */
export const choicesOf = (of: Enum): { label: string; value: string }[] =>
  Object.entries(labels[of]).map(([value, text]) => ({ label: text, value }))

/** A label within a sentence: small but for what is written large anywhere, such as API. */
export const inline = (text: string): string =>
  /^.[A-Z]/.test(text) ? text : text.slice(0, 1).toLowerCase() + text.slice(1)

/** How something goes through a channel: by email, on the portal. */
export const byChannel = (channel: string | undefined): string =>
  channel === 'portal' ? 'on the portal' : `by ${inline(label('Channel', channel))}`

const units: Record<string, string> = { m: 'minute', h: 'hour', d: 'day', bd: 'business day' }

/** A target as people read it: 45 minutes, 1 business day. What is no target stays. */
export function target(t: string): string {
  if (t === 'none') return 'No target'
  if (!/^([0-9]+(bd|[dhm]))+$/.test(t)) return t
  return [...t.matchAll(/([0-9]+)(bd|[dhm])/g)].map(([, n, u]) => `${n} ${units[u!]}${n === '1' ? '' : 's'}`).join(' ')
}

/** The days of a week by their keys, Monday first. */
export const weekdays = { mon: 'Mon', tue: 'Tue', wed: 'Wed', thu: 'Thu', fri: 'Fri', sat: 'Sat', sun: 'Sun' }

/** A week's windows, days with the same ones together: Mon to Fri 08:00-16:00. */
export function weekWords(week: Record<string, string[]> | undefined): string[] {
  const runs: { from: string; to: string; days: number; windows: string }[] = []
  for (const [key, name] of Object.entries(weekdays)) {
    const windows = week?.[key]?.join(', ') ?? ''
    const last = runs.at(-1)
    if (last?.windows === windows) Object.assign(last, { to: name, days: last.days + 1 })
    else runs.push({ from: name, to: name, days: 1, windows })
  }
  return runs
    .filter((r) => r.windows)
    .map((r) => `${r.from}${r.days > 2 ? ` to ${r.to}` : r.days === 2 ? ` and ${r.to}` : ''} ${r.windows}`)
}

/** What a number of a case is called, by whose it is and what it is to the case; the terminal does the same. */
export function referenceWords(r: { whose: string; role: string; of?: string }): string {
  const owner = label('ReferenceOwner', r.whose)
  const called = r.role === 'current' ? owner : `${label('ReferenceRole', r.role)} ${inline(owner)}`
  return r.of ? `${called} (${r.of})` : called
}

/** What is on its way, for label(): a step, a message, or a file that follows one. */
export const whatItIs = (d: { step?: string; only_files?: boolean }): [Enum, string] =>
  d.only_files ? ['Entry.kind', 'file'] : d.step ? ['Step.step', d.step] : ['Entry.kind', 'message']

/** How often something happened, in words. */
export const often = (n: number | undefined): string =>
  n === 1 ? 'once' : n === 2 ? 'twice' : n ? `${n} times` : 'not yet'
