import { useQuery } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { client, newKey, ok, type Schemas } from '../shared/api'
import { inline, label } from '../shared/words'

export type CaseFile = Schemas['File']

/** The files of a case. While one is being checked, they are asked for again. */
export const useFiles = (name: Ref<string>) =>
  useQuery({
    queryKey: ['files', name],
    queryFn: () => ok(client.GET('/cases/{case}/files', { params: { path: { case: name.value } } })),
    refetchInterval: (q) => (q.state.data?.items.some((f) => !f.checked && !f.problem) ? 2000 : false),
  })

export const useFile = (name: Ref<string>, number: Ref<number>) =>
  useQuery({
    queryKey: ['files', name, number],
    queryFn: () =>
      ok(client.GET('/cases/{case}/files/{file}', { params: { path: { case: name.value, file: number.value } } })),
    refetchInterval: (q) => (q.state.data && !q.state.data.checked && !q.state.data.problem ? 1000 : false),
  })

/** Where all files of a case are in one archive. */
export const archiveOf = (name: string): string => `/api/v1/cases/${encodeURIComponent(name)}/files-archive`

/** Where the content of a file is, by its number. */
export const contentAt = (name: string, number: number): string =>
  `/api/v1/cases/${encodeURIComponent(name)}/files/${number}/content`

/** Where the content of a file is; a picture can be shown. */
export const contentOf = (name: string, f: CaseFile, show = false): string =>
  contentAt(name, f.number) + (show ? '?show=true' : '')

export const isPicture = (f: CaseFile): boolean =>
  ['image/png', 'image/jpeg', 'image/gif', 'image/webp'].includes(f.type ?? '')

/** Whether a masked copy of it can be made. */
export const isText = (f: CaseFile): boolean => /^(text\/|application\/(json|xml|x-ndjson))/.test(f.type ?? '')

/** Adds a masked copy of a text file to its case; where there is one already, it is that. */
export const maskedCopy = (name: string, file: number): Promise<CaseFile> =>
  ok(
    client.POST('/cases/{case}/files/{file}/masked', {
      params: { path: { case: name, file }, header: { 'Idempotency-Key': newKey() } },
    }),
  )

/** What was found in a file and must be known before it is sent, in words; empty for nothing. */
export const foundIn = (f: CaseFile, level: 'stop' | 'warn'): string =>
  f.found
    .filter((x) => x.level === level)
    .map((x) => inline(label('FindingKind', x.kind)) + (x.count > 1 ? ` (${x.count})` : ''))
    .join(', ')
