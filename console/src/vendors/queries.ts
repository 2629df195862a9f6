import { useQuery } from '@tanstack/vue-query'
import { ref, type Ref } from 'vue'
import { client, ok } from '../shared/api'

export const useVendors = () =>
  useQuery({ queryKey: ['vendors'], queryFn: () => ok(client.GET('/vendors')), staleTime: 60_000 })

export const useVendor = (key: Ref<string>, enabled: Ref<boolean> = ref(true)) =>
  useQuery({
    enabled,
    queryKey: ['vendor', key],
    queryFn: () => ok(client.GET('/vendors/{vendor}', { params: { path: { vendor: key.value } } })),
  })
