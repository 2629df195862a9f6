<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { client, newKey, ok, words } from '../shared/api'
import CopyButton from '../shared/CopyButton.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'
import TimeText from '../shared/TimeText.vue'
import { label } from '../shared/words'
import { bytes } from './bytes'
import PictureEditor from './PictureEditor.vue'
import { add } from './uploads'
import { contentOf, isPicture, isText, maskedCopy, useFile, useFiles } from './queries'

const props = defineProps<{ name: string; number: number; may: boolean }>()
const emit = defineEmits<{ leave: [] }>()
const queries = useQueryClient()
const { busy, problem, send } = useSending()
const { data: f, error } = useFile(
  toRef(() => props.name),
  toRef(() => props.number),
)
const caption = ref('')
const sensitive = ref(false)
const serves = ref('')
const said = ref('')
const { data: all } = useFiles(toRef(() => props.name))
watch(
  f,
  (now, before) => {
    if (!now || before) return
    caption.value = now.caption
    sensitive.value = now.sensitive
    serves.value = now.for ?? ''
  },
  { immediate: true },
)
const changed = computed(
  () =>
    !!f.value &&
    (caption.value.trim() !== f.value.caption ||
      sensitive.value !== f.value.sensitive ||
      serves.value !== (f.value.for ?? '')),
)
const places = computed(() => f.value?.findings ?? [])
// Only what must be known before it is sent can be masked, and only in a text.
const maskable = computed(() => f.value && isText(f.value) && places.value.some((x) => x.level !== 'tell'))
const anew = () => refresh(queries, props.name)
const path = computed(() => ({ case: props.name, file: props.number }))
async function save() {
  const done = await send(async () => {
    await ok(
      client.PATCH('/cases/{case}/files/{file}', {
        params: { path: path.value },
        body: { caption: caption.value.trim(), sensitive: sensitive.value, for: serves.value },
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
  })
  anew()
  if (done) emit('leave')
}
const marking = ref(false)
const removing = ref(false)
const why = ref('')
function marked(picture: Blob) {
  const from = f.value!
  const name = from.name.replace(/\.[a-z]+$/i, '') + '-marked.png'
  add(
    props.name,
    [new File([picture], name, { type: picture.type })],
    {
      sensitive: from.sensitive,
      for: from.for,
      from: from.number,
      caption: from.caption,
    },
    anew,
  )
  emit('leave')
}
async function remove() {
  const done = await send(() =>
    ok(
      client.POST('/cases/{case}/files/{file}/removal', {
        params: { path: path.value, header: { 'Idempotency-Key': newKey() } },
        body: { reason: why.value.trim() },
      }),
    ),
  )
  anew()
  if (done) removing.value = false
}
const mask = () =>
  send(async () => {
    const copy = await maskedCopy(props.name, props.number)
    said.value = `The masked copy is file ${copy.number}, ${copy.name}.`
    anew()
  })
</script>

<template>
  <DialogFrame
    name="file"
    :title="f ? `File ${number}: ${f.name}` : `File ${number}`"
    size="broad"
    @leave="emit('leave')"
  >
    <p v-if="error && !f" class="problem" role="alert">{{ words(error) }}</p>
    <template v-if="f">
      <p v-if="f.removed" class="warn">Its content was removed: {{ f.removed }}</p>
      <a v-else-if="isPicture(f)" :href="contentOf(name, f, true)" target="_blank" rel="noreferrer"
        ><img class="picture" :src="contentOf(name, f, true)" :alt="f.caption || f.name"
      /></a>
      <dl>
        <dt>Size</dt>
        <dd>
          {{ bytes(f.bytes) }}<span class="sub"> · {{ f.type ?? 'type not known yet' }}</span>
        </dd>
        <dt>Added</dt>
        <dd>
          <TimeText :at="f.added_at" /> by {{ f.added_by
          }}<span v-if="f.entry" class="sub"> · entry {{ f.entry }}</span>
        </dd>
        <template v-if="f.copy_of"
          ><dt>Copy of</dt>
          <dd>file {{ f.copy_of }}, {{ isPicture(f) ? 'marked' : 'masked' }}</dd></template
        >
        <template v-if="f.sha256"
          ><dt>SHA-256</dt>
          <dd>
            <span class="mono hash">{{ f.sha256 }}</span><CopyButton :value="f.sha256" what="SHA-256" /></dd
        ></template>
      </dl>
      <p v-if="f.named_type" class="warn">Its name says {{ f.named_type }}, but it is {{ f.type }}.</p>
      <p v-if="f.problem" class="warn">It could not be checked yet: {{ f.problem }}.</p>
      <p v-else-if="!f.checked" class="sub">It is being checked for what must not be sent.</p>
      <p v-else-if="isPicture(f)" class="sub">What a picture shows is not checked: look at it before you send it.</p>
      <p v-else-if="!places.length" class="sub">Nothing was found in it that must not be sent.</p>
      <div v-if="places.length" class="scroll">
        <table class="plain" data-testid="file-findings">
          <thead>
            <tr>
              <th>Level</th>
              <th>What</th>
              <th>Where</th>
              <th>Excerpt</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(x, i) in places" :key="i" :class="{ problem: x.level === 'stop' }">
              <td>{{ label('FindingLevel', x.level) }}</td>
              <td>{{ label('FindingKind', x.kind) }}</td>
              <td class="tn">
                {{ x.inside }}<template v-if="x.line">{{ x.inside ? ', ' : '' }}line {{ x.line }}</template>
              </td>
              <td class="mono excerpt">{{ x.excerpt }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="said" class="sub" role="status" data-testid="masked-as">{{ said }}</p>
      <template v-if="may">
        <label class="caption" for="file-caption">Caption <span class="sub">optional</span></label>
        <input
          id="file-caption"
          v-model="caption"
          class="in"
          maxlength="1000"
          placeholder="What it is, or what the picture shows"
          data-testid="file-caption"
        />
        <template v-if="all?.wanted.length">
          <label class="caption" for="file-for">Which file the vendor wants</label>
          <select id="file-for" v-model="serves" class="in" data-testid="file-for">
            <option value="">None of them</option>
            <option v-for="w in all.wanted" :key="w.name" :value="w.name">{{ w.name }}</option>
          </select>
        </template>
        <NCheckbox v-model:checked="sensitive" data-testid="file-sensitive"
          >Sensitive: seen only by the owner of the case, the person who opened it, and the person who added the
          file</NCheckbox
        >
      </template>
      <form v-if="removing" class="remove" data-testid="removal" @submit.prevent="remove">
        <label for="remove-why">Reason</label>
        <p class="sub small">
          The content is removed for good. That it was here, its hash and where it was sent stay in the record.
        </p>
        <div class="row">
          <input id="remove-why" v-model="why" class="in" maxlength="1000" data-testid="remove-why" /><NButton
            attr-type="submit"
            type="error"
            :loading="busy"
            :disabled="!why.trim()"
            data-testid="do-remove"
            >Remove the content</NButton
          ><NButton @click="removing = false">Cancel</NButton>
        </div>
      </form>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row wraps buttons">
        <NButton v-if="may && changed" type="primary" :loading="busy" data-testid="save-file" @click="save"
          >Save changes</NButton
        >
        <NButton v-if="may && maskable && !said && !f.removed" :loading="busy" data-testid="mask-file" @click="mask"
          >Add a masked copy</NButton
        >
        <NButton v-if="may && isPicture(f) && !f.removed" data-testid="mark-file" @click="marking = true"
          >Black out or mark</NButton
        >
        <a v-if="!f.removed" :href="contentOf(name, f)" download data-testid="fetch-file"
          ><NButton tag="span">Download</NButton></a
        >
        <NButton v-if="may && !f.removed && !removing" data-testid="remove-file" @click="removing = true"
          >Remove the content…</NButton
        >
        <NButton data-testid="leave-file" @click="emit('leave')">Close</NButton>
      </div>
    </template>
  </DialogFrame>
  <PictureEditor
    v-if="marking && f"
    :name="f.name"
    :picture="contentOf(name, f, true)"
    @leave="marking = false"
    @save="marked"
  />
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 84px minmax(0, 1fr);
  gap: 4px 10px;
  margin: 10px 0;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.hash {
  font-size: 12.5px;
}
.picture {
  display: block;
  max-width: 100%;
  max-height: 46vh;
  margin-top: 10px;
  border: 1px solid var(--line2);
}
.scroll {
  max-height: 32vh;
  overflow: auto;
}
th {
  text-align: left;
  font-weight: 600;
}
th,
td {
  padding: 2px 12px 2px 4px;
}
.excerpt {
  overflow-wrap: anywhere;
}
.caption {
  display: block;
  margin-top: 12px;
}
.in {
  width: 100%;
  margin-bottom: 8px;
}
.remove {
  margin-top: 10px;
}
.buttons {
  gap: 8px;
  margin-top: 14px;
}
</style>
