import { computed, reactive } from 'vue'
import type { Schemas } from '../shared/api'
import { fromInput } from '../shared/time'

/** What one side says to the other with a date, as a form names it. */
export const sayings = [
  { value: 'promised', label: 'They promised', kind: 'promise', owed: 'theirs' },
  { value: 'they-ask', label: 'They ask', kind: 'ask', owed: 'ours' },
  { value: 'we-ask', label: 'We ask', kind: 'ask', owed: 'theirs' },
] as const

export interface Along {
  rows: { what: (typeof sayings)[number]['value']; text: string; due: string }[]
  keeps: string[]
}

/** What a message or a call dates and keeps, for a form. */
export function useAlong() {
  const along = reactive<Along>({ rows: [], keeps: [] })
  const rows = computed(() => along.rows.filter((r) => r.text.trim() || r.due))
  return {
    along,
    clear: () => Object.assign(along, { rows: [], keeps: [] }),
    incomplete: computed(() => rows.value.some((r) => !r.text.trim() || !r.due)),
    body: computed(() => ({
      ...(along.keeps.length && { keeps: along.keeps }),
      ...(rows.value.length && {
        dates: rows.value.map((r): Schemas['NewDate'] => {
          const { kind, owed } = sayings.find((s) => s.value === r.what)!
          return { kind, owed, text: r.text.trim(), due: fromInput(r.due) }
        }),
      }),
    })),
  }
}
