import type { Schemas } from './api'

/** Where a thing that was found is shown. */
export const hitTarget = (h: Schemas['Hit']): string =>
  h.kind === 'case' ? `/cases/${h.name}` : h.kind === 'vendor' ? `/vendors/${h.name}` : `/register/${h.kind}s/${h.id}`
