import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, ok } from '../shared/api'

/** Outages of a vendor that have not ended; none while no vendor is chosen. */
export const useCurrentOutages = (vendor: Ref<string>) =>
  useQuery({
    queryKey: computed(() => ['outages', vendor.value]),
    enabled: computed(() => vendor.value !== ''),
    queryFn: () =>
      ok(client.GET('/outages', { params: { query: { vendor: vendor.value, current: true } } })).then((r) => r.items),
  })
