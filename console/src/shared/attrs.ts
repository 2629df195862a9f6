import type { InputHTMLAttributes } from 'vue'

type Marks = { [mark: `data-${string}`]: string }

/** Attributes of the element within a component: what an input may have, and marks of our own. */
export const attrs = (a: InputHTMLAttributes & Marks): InputHTMLAttributes & Record<string, unknown> => ({ ...a })
