import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, ok } from '../shared/api'

/** Our people. */
export const usePeople = () => useQuery({ queryKey: ['people'], queryFn: () => ok(client.GET('/people')) })

/** Those who can own a case, for a select: by name, with their email address as the value. */
export function useOwners() {
  const { data } = usePeople()
  return computed(
    () =>
      data.value?.items
        .filter((p) => p.active && p.role !== 'auditor')
        .map((p) => ({ label: p.name, value: p.email })) ?? [],
  )
}
