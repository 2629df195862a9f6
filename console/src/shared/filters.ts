import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'

/** What narrows a list stands in the address: it can be kept, sent and gone back to. */
export function useFilters() {
  const route = useRoute()
  const router = useRouter()
  const one = (k: string) => (typeof route.query[k] === 'string' ? (route.query[k] as string) : undefined)
  /** Changes some of them, and begins at the first page again unless the change says otherwise. */
  function set(change: LocationQueryRaw) {
    const next: LocationQueryRaw = { ...route.query, after: undefined, ...change }
    for (const k of Object.keys(next)) if (!next[k]) delete next[k]
    void router.push({ query: next })
  }
  return { one, set }
}
