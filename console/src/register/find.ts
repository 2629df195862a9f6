import type { Schemas } from '../shared/api'

/** Where a thing that was found is shown. */
export const hitTarget = (h: Schemas['Hit']): string =>
  h.kind === 'case'
    ? `/cases/${h.name}`
    : h.kind === 'vendor' || h.kind === 'contact'
      ? `/vendors/${h.name}`
      : h.kind === 'person'
        ? '/register/people'
        : `/register/${h.kind}s/${h.id}`
