import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, ok } from '../shared/api'

/** The ladder of a case's vendor, with a draft for one rung. */
export const useLadder = (name: Ref<string>, rung: Ref<number | undefined>) =>
  useQuery({
    queryKey: ['case', name, 'ladder', rung],
    queryFn: () =>
      ok(client.GET('/cases/{case}/ladder', { params: { path: { case: name.value }, query: { rung: rung.value } } })),
    enabled: computed(() => name.value !== ''),
    placeholderData: (before) => before,
  })

/** A draft of what asks a case's vendor for what it owes. */
export const draftChase = (name: string) => ok(client.GET('/cases/{case}/chase', { params: { path: { case: name } } }))
