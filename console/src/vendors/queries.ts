import { useQuery } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { client, ok } from '../shared/api'

export const useVendors = () =>
  useQuery({ queryKey: ['vendors'], queryFn: () => ok(client.GET('/vendors')), staleTime: 60_000 })

/** All vendors, for a select: by name, with their key as the value. */
export function useVendorOptions() {
  const { data } = useVendors()
  return computed(() => data.value?.items.map((v) => ({ label: v.name, value: v.key })) ?? [])
}

export const useVendor = (key: Ref<string>, enabled: Ref<boolean> = ref(true)) =>
  useQuery({
    enabled,
    queryKey: ['vendor', key],
    queryFn: () => ok(client.GET('/vendors/{vendor}', { params: { path: { vendor: key.value } } })),
  })
