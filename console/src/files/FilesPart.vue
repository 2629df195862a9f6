<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { useQueryClient } from '@tanstack/vue-query'
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { client, ok, words } from '../shared/api'
import { refresh } from '../shared/queries'
import { inline, label } from '../shared/words'
import { useSending } from '../shared/sending'
import TimeText from '../shared/TimeText.vue'
import { bytes } from './bytes'
import ComingFiles from './ComingFiles.vue'
import FileDialog from './FileDialog.vue'
import PictureEditor from './PictureEditor.vue'
import { archiveOf, foundIn, useFiles } from './queries'
import { add, useComing, useUnfit } from './uploads'

// The files of a case. New ones come by drop, paste and picker; they are not sent to the vendor by that.
const props = defineProps<{ name: string; may: boolean }>()
const queries = useQueryClient()
const { data, error } = useFiles(toRef(() => props.name))
const coming = useComing(toRef(() => props.name))
const unfit = useUnfit(toRef(() => props.name))
const files = computed(() => data.value?.items ?? [])
const opened = ref<number>()
const sensitive = ref(false)
const over = ref(false)
const pasted = ref<File>()
const picker = ref<HTMLInputElement>()

const wanted = computed(() => data.value?.wanted ?? [])
/** Which of the files that the vendor wants the next ones are. */
const serves = ref('')
const waiving = ref('')
const reason = ref('')
const { busy, problem, send } = useSending()
const take = (list: Iterable<File>) => {
  const name = props.name
  add(name, list, { sensitive: sensitive.value, for: serves.value }, () => refresh(queries, name))
  serves.value = ''
}
function pickFor(name: string) {
  serves.value = name
  picker.value?.click()
}
/** Says that the vendor does not get a file that it wants, or without a reason that it does. */
const waive = (name: string, reason?: string) =>
  send(async () => {
    await ok(
      client.PUT('/cases/{case}/wanted-files', { params: { path: { case: props.name } }, body: { name, reason } }),
    )
    waiving.value = ''
    refresh(queries, props.name)
  })
function pick(e: Event) {
  const input = e.target as HTMLInputElement
  take([...(input.files ?? [])])
  input.value = ''
}
/** A pasted picture has no name of its own. */
const named = (f: File) =>
  f.name && f.name !== 'image.png'
    ? f
    : new File([f], `screenshot-${new Date().toISOString().slice(0, 19).replaceAll(':', '')}.png`, { type: f.type })
const carries = (e: DragEvent) => props.may && !!e.dataTransfer?.types.includes('Files')
useEventListener(document, 'paste', (e: ClipboardEvent) => {
  const list = [...(e.clipboardData?.files ?? [])]
  if (!props.may || !list.length || document.querySelector('[role="dialog"]')) return
  e.preventDefault()
  const [one] = list.map(named)
  // A screenshot often shows too much: one can black that out before it is added.
  if (list.length === 1 && one?.type.startsWith('image/')) pasted.value = one
  else take(list.map(named))
})
function marked(picture: Blob) {
  const name = pasted.value!.name
  pasted.value = undefined
  take([new File([picture], name, { type: picture.type })])
}
function asItIs() {
  const one = pasted.value!
  pasted.value = undefined
  take([one])
}
useEventListener(document, 'dragover', (e: DragEvent) => {
  if (!carries(e)) return
  e.preventDefault()
  over.value = true
})
useEventListener(document, 'dragleave', (e: DragEvent) => {
  if (!e.relatedTarget) over.value = false
})
useEventListener(document, 'drop', (e: DragEvent) => {
  over.value = false
  if (!carries(e)) return
  e.preventDefault()
  take([...(e.dataTransfer?.files ?? [])])
})
</script>

<template>
  <section id="files" class="files" :class="{ over }" aria-label="Files" data-testid="files">
    <h2>Files</h2>
    <p v-if="error && !data" class="problem" role="alert">{{ words(error) }}</p>
    <p v-else-if="data && !files.length && !data.hidden && !coming.length" class="sub small">
      No files yet.<template v-if="may"> Drop them anywhere on this page, or paste a screenshot.</template>
    </p>
    <ul v-if="wanted.length" class="wanted small" aria-label="Files that the vendor wants" data-testid="wanted">
      <li v-for="w in wanted" :key="w.name">
        <div>
          <b>{{ w.name }}</b>{{ ' ' }}
          <span v-if="w.sent" class="sub"> sent to the vendor</span>
          <span v-else-if="w.not_needed" class="sub">
            not needed: {{ w.not_needed }} ({{ w.not_needed_by }})
            <button v-if="may" class="linkish" type="button" @click="waive(w.name)">Needed after all</button></span
          >
          <template v-else>
            <span class="sub">
              {{ w.files.length ? `here as file ${w.files.join(', ')}, not sent yet` : 'wanted by the vendor'
              }}<template v-if="!w.files.length && w.how">: {{ w.how }}</template
              ><template v-if="w.where">; goes to {{ w.where }}</template></span
            >
            {{ ' '
            }}<span v-if="may && waiving !== w.name" class="acts">
              <button
                v-if="!w.files.length"
                class="linkish"
                type="button"
                :data-testid="'add-' + w.name"
                @click="pickFor(w.name)"
              >
                Add it
              </button>
              <button
                class="linkish"
                type="button"
                :data-testid="'waive-' + w.name"
                @click="((waiving = w.name), (reason = ''))"
              >
                Not needed
              </button>
            </span>
            <form v-if="waiving === w.name" class="why" @submit.prevent="waive(w.name, reason.trim())">
              <input
                v-model="reason"
                class="in"
                aria-label="Reason"
                placeholder="Reason"
                maxlength="1000"
                data-testid="waive-reason"
              />
              <NButton size="tiny" attr-type="submit" :loading="busy" :disabled="!reason.trim()" data-testid="do-waive"
                >Save</NButton
              ><NButton size="tiny" @click="waiving = ''">Cancel</NButton>
            </form>
          </template>
        </div>
      </li>
    </ul>
    <p v-if="problem" class="problem small" role="alert">{{ problem }}</p>
    <ul v-if="files.length" class="list">
      <li v-for="f in files" :key="f.number" :data-testid="'file-' + f.number">
        <button class="linkish name" type="button" aria-haspopup="dialog" @click="opened = f.number">
          <span class="tn">{{ f.number }}</span> {{ f.name }}
        </button>
        <p v-if="f.caption" class="small">{{ f.caption }}</p>
        <p class="sub small">
          {{ bytes(f.bytes) }} · {{ f.added_by }} · <TimeText :at="f.added_at" /><template v-if="f.sensitive">
            · <b>sensitive</b></template
          >
        </p>
        <p v-if="f.sent?.length" class="sub small" :data-testid="'sent-' + f.number">
          <template v-for="(s, i) in f.sent" :key="i"
            >{{ i ? '; ' : '' }}{{ s.at ? 'sent to the vendor' : inline(label('DeliveryState', s.state)) }} with entry
            {{ s.entry }}<template v-if="s.at">, <TimeText :at="s.at" /></template
          ></template>
        </p>
        <p v-else class="sub small">Not sent to the vendor</p>
        <p v-if="f.removed" class="sub small">Content removed: {{ f.removed }}</p>
        <p v-else-if="f.problem" class="warn small">Not checked yet: {{ f.problem }}</p>
        <p v-else-if="!f.checked" class="sub small">Being checked…</p>
        <p v-if="foundIn(f, 'stop')" class="problem small">Must not be sent: {{ foundIn(f, 'stop') }}</p>
        <p v-if="foundIn(f, 'warn')" class="warn small">Look before you send it: {{ foundIn(f, 'warn') }}</p>
        <p v-if="f.named_type" class="warn small">Its name says {{ f.named_type }}, but it is {{ f.type }}.</p>
      </li>
    </ul>
    <p v-if="data?.hidden" class="sub small" data-testid="hidden-files">
      {{ data.hidden === 1 ? '1 sensitive file is' : `${data.hidden} sensitive files are` }} not shown: only those on
      the case see {{ data.hidden === 1 ? 'it' : 'them' }}.
    </p>
    <ComingFiles :of="name" />
    <p v-for="u in unfit" :key="u.name" class="warn small" data-testid="unfit">
      {{ u.name }} can be kept here, but not sent to the vendor: {{ u.why }}.
    </p>
    <div v-if="may" class="doors">
      <NButton size="small" data-testid="add-files" @click="picker?.click()">Add files</NButton>
      <NCheckbox v-model:checked="sensitive" class="small" data-testid="sensitive">Sensitive</NCheckbox>
      <a v-if="files.length > 1" class="small" :href="archiveOf(name)" download data-testid="fetch-all">Download all</a>
      <input ref="picker" type="file" multiple hidden data-testid="pick-files" aria-label="Files" @change="pick" />
    </div>
    <p v-if="may && sensitive" class="sub small">
      Only the owner of the case, the person who opened it, and you will see what you add now.
    </p>
    <PictureEditor
      v-if="pasted"
      :name="pasted.name"
      :picture="pasted"
      addable
      @leave="pasted = undefined"
      @save="marked"
      @add="asItIs"
    />
    <FileDialog v-if="opened" :key="opened" :name="name" :number="opened" :may="may" @leave="opened = undefined" />
  </section>
</template>

<style scoped>
.files.over {
  outline: 2px dashed var(--primary);
  outline-offset: 6px;
  border-radius: 4px;
}
.list {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.wanted {
  list-style: none;
  margin: 0 0 12px;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.wanted li {
  border-left: 2px solid var(--line2);
  padding-left: 10px;
}
.acts .linkish {
  margin-right: 10px;
}
.why {
  display: flex;
  gap: 4px;
  margin-top: 4px;
}
.why .in {
  height: 24px;
  min-width: 0;
}
.name {
  overflow-wrap: anywhere;
  text-align: left;
}
.doors {
  display: flex;
  gap: 12px;
  align-items: center;
  margin-top: 6px;
}
</style>
