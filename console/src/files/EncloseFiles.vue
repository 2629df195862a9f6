<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { words } from '../shared/api'
import { refresh } from '../shared/queries'
import type { Route } from '../shared/routes'
import AnywayReason from './AnywayReason.vue'
import { bytes } from './bytes'
import type { Enclosing } from './enclosing'
import { foundIn, isText, maskedCopy, useFiles, type CaseFile } from './queries'
import { add, useComing } from './uploads'

// Which files of the case go with a message. New ones can be added here; they go with it as soon as they are there.
const props = defineProps<{ name: string; via?: Route; chosen: Enclosing }>()
const chosen = toRef(props, 'chosen')
/** Why a file that must not be sent is sent anyway. */
const reason = defineModel<string>('reason', { default: '' })
const queries = useQueryClient()
const { data } = useFiles(toRef(() => props.name))
const coming = useComing(toRef(() => props.name))
const picker = ref<HTMLInputElement>()
const problem = ref('')
const files = computed(() => data.value?.items ?? [])
const picked = computed(() => files.value.filter((f) => chosen.value.files.includes(f.number)))
const stops = computed(() => picked.value.filter((f) => foundIn(f, 'stop')))

/** Why a file cannot go with the message; empty where it can. */
function why(f: CaseFile): string {
  if (f.removed) return 'its content was removed'
  if (props.via?.files?.none) return 'files cannot be sent that way'
  return f.unfit?.[props.via?.channel ?? ''] ?? (f.problem ? `it could not be checked: ${f.problem}` : '')
}
const wrong = computed(() => picked.value.filter((f) => why(f)))
const waiting = computed(() => picked.value.filter((f) => !f.checked && !f.problem))
watch(
  () =>
    wrong.value.length > 0 ||
    waiting.value.length > 0 ||
    coming.value.some((c) => c.state !== 'failed') ||
    (stops.value.length > 0 && !reason.value.trim()) ||
    (chosen.value.question !== '' && !chosen.value.confirmed),
  (stopped) => (chosen.value.stopped = stopped),
  { immediate: true },
)

function toggle(f: CaseFile) {
  const at = chosen.value.files.indexOf(f.number)
  if (at >= 0) chosen.value.files.splice(at, 1)
  else chosen.value.files.push(f.number)
  chosen.value.question = ''
  chosen.value.confirmed = false
}
/** Files go in the order in which they were chosen: pictures tell steps. */
function earlier(f: CaseFile) {
  const list = chosen.value.files
  const at = list.indexOf(f.number)
  list.splice(at - 1, 2, f.number, list[at - 1]!)
}
function pick(e: Event) {
  const input = e.target as HTMLInputElement
  const into = chosen.value
  const name = props.name
  add(name, [...(input.files ?? [])], {}, (number) => {
    refresh(queries, name)
    if (number) into.files.push(number)
  })
  input.value = ''
}
/** The masked copy of a file goes in its place. */
async function mask(f: CaseFile) {
  problem.value = ''
  try {
    const copy = await maskedCopy(props.name, f.number)
    const at = chosen.value.files.indexOf(f.number)
    if (at >= 0) chosen.value.files.splice(at, 1, copy.number)
    refresh(queries, props.name)
  } catch (e) {
    problem.value = words(e)
  }
}
</script>

<template>
  <fieldset class="enclose small" data-testid="enclose">
    <legend class="hide">Files that go with it</legend>
    <ul v-if="files.length">
      <li v-for="f in files" :key="f.number">
        <label
          ><input
            type="checkbox"
            :checked="chosen.files.includes(f.number)"
            :disabled="!!why(f) && !chosen.files.includes(f.number)"
            :data-testid="'send-file-' + f.number"
            @change="toggle(f)"
          />
          <span class="tn">{{ f.number }}</span> {{ f.name }}
          <span class="sub"
            >{{ bytes(f.bytes) }}<template v-if="f.sensitive"> · sensitive</template
            ><template v-if="f.sent?.length"> · sent before</template></span
          ></label
        >
        <p v-if="why(f)" class="sub under">Cannot be sent: {{ why(f) }}.</p>
        <template v-else-if="chosen.files.includes(f.number)">
          <p v-if="chosen.files.length > 1" class="sub under">
            {{ chosen.files.indexOf(f.number) + 1 }} of {{ chosen.files.length }}
            <button
              v-if="chosen.files.indexOf(f.number) > 0"
              class="linkish"
              type="button"
              :aria-label="`Send ${f.name} earlier`"
              :data-testid="'earlier-' + f.number"
              @click="earlier(f)"
            >
              Send it earlier
            </button>
          </p>
          <p v-if="f.caption" class="sub under">{{ f.caption }}</p>
          <p v-if="!f.checked" class="sub under">Being checked…</p>
          <p v-if="foundIn(f, 'stop')" class="warn under">
            Must not be sent: {{ foundIn(f, 'stop') }}.
            <button v-if="isText(f)" class="linkish" type="button" :data-testid="'mask-' + f.number" @click="mask(f)">
              Send a masked copy instead
            </button>
          </p>
          <p v-if="foundIn(f, 'warn')" class="sub under">Look before you send it: {{ foundIn(f, 'warn') }}.</p>
        </template>
      </li>
    </ul>
    <p v-for="c in coming" :key="c.id" class="sub">
      {{ c.name }}: {{ c.state === 'failed' ? c.problem : `${bytes(c.sent)} of ${bytes(c.bytes)}` }}
    </p>
    <div v-if="!via?.files?.none">
      <NButton size="tiny" data-testid="enclose-new" @click="picker?.click()">Add files to send</NButton>
      <input
        ref="picker"
        type="file"
        multiple
        hidden
        aria-label="Files to send"
        data-testid="enclose-pick"
        @change="pick"
      />
    </div>
    <AnywayReason v-if="stops.length" id="disclose-files" v-model="reason" />
    <label v-if="chosen.question" class="warn ask" data-testid="ask-files"
      ><input v-model="chosen.confirmed" type="checkbox" data-testid="confirm-files" /> {{ chosen.question }} Yes, it is
      intended.</label
    >
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </fieldset>
</template>

<style scoped>
.enclose {
  border: 0;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
  min-width: 0;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 220px;
  overflow: auto;
}
li {
  padding: 1px 0;
  overflow-wrap: anywhere;
}
.under {
  padding-left: 22px;
}
.ask {
  padding: 6px 10px;
}
</style>
