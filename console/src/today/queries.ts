import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'
import type { Moment } from '../shared/moment'

/** Whose part of the desk is looked at. */
export interface Part {
  whose: Schemas['DeskPart']
  person?: string
}

export const useToday = (part: Ref<Part>, moment: Ref<Moment>) =>
  useQuery({
    queryKey: ['today', part, moment],
    queryFn: () => ok(client.GET('/today', { params: { query: { ...part.value, ...moment.value } } })),
    refetchInterval: 30_000,
    placeholderData: keepPreviousData,
  })

export const useLanes = (part: Ref<Part>, wanted: Ref<boolean>) =>
  useQuery({
    queryKey: ['lanes', part],
    queryFn: () => ok(client.GET('/lanes', { params: { query: part.value } })),
    enabled: wanted,
    refetchInterval: 60_000,
    placeholderData: keepPreviousData,
  })

/** The pages of Today after the first, as they are asked for; they go when the first one changes. */
export function useTodayAfter(part: Ref<Part>, first: Ref<string | undefined>) {
  const pages = ref<{ lines: Schemas['TodayLine'][]; next?: string }[]>([])
  const problem = ref('')
  watch([first, part], () => (pages.value = []))
  const more = async (): Promise<void> => {
    const cursor = pages.value.length ? pages.value.at(-1)!.next : first.value
    if (!cursor) return
    problem.value = ''
    try {
      const page = await ok(client.GET('/today', { params: { query: { ...part.value, cursor } } }))
      pages.value.push({ lines: page.lines, next: page.next })
    } catch (e) {
      problem.value = words(e)
    }
  }
  return { lines: computed(() => pages.value.flatMap((p) => p.lines)), more, problem }
}
