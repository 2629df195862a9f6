<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { type Texts } from '../shared/api'
import { attrs } from '../shared/attrs'
import { choicesOf, label } from '../shared/words'
import LeavingCheck from '../files/LeavingCheck.vue'
import CopyButton from '../shared/CopyButton.vue'
import VendorQuestion from './VendorQuestion.vue'
import { useDraftHere } from './draft'
import { short, useClock } from '../shared/time'

const d = useDraftHere()
const now = useClock()
// The parts of the description as this vendor and kind ask for them, as soon as there is a draft; those that are not
// asked for stand behind a button.
type Row = { key: keyof Texts; label: string; points?: number }
const all = computed<Row[]>(
  () =>
    (d.draft?.parts as Row[] | undefined) ??
    choicesOf('Texts').map((p) => ({ key: p.value as keyof Texts, label: p.label })),
)
const usual = ['happened', 'expected', 'steps', 'since', 'tried']
const wanted = (r: Row) => !!d.form.texts[r.key] || (r.points === undefined ? usual.includes(r.key) : r.points > 0)
const more = ref(false)
const rows = computed(() => all.value.filter((r) => more.value || wanted(r)))
const others = computed(() => all.value.length - rows.value.length)
const height: Partial<Record<keyof Texts, number>> = { happened: 3, steps: 2, error: 2, tried: 2 }
// Everything that somebody wrote, in one, so that it is looked at in one: the mark between parts is in no text.
const between = '\n\u001e\n'
const written = computed(() => [
  d.form.title,
  ...all.value.map((r) => d.form.texts[r.key] ?? ''),
  ...(d.draft?.asked ?? []).map((q) => d.form.answers[q.key] ?? ''),
])
function mask(text: string) {
  const parts = text.split(between)
  if (parts.length !== written.value.length) return // it has grown meanwhile
  d.form.title = parts.shift() ?? ''
  for (const r of all.value) {
    const part = parts.shift() ?? ''
    if (part !== (d.form.texts[r.key] ?? '')) (d.form.texts as Record<string, string>)[r.key] = part
  }
  for (const q of d.draft?.asked ?? []) {
    const part = parts.shift() ?? ''
    if (part !== (d.form.answers[q.key] ?? '')) d.form.answers[q.key] = part
  }
}
const lines = ['since', 'often', 'version', 'system', 'browser', 'role']
</script>

<template>
  <section class="panel part" aria-labelledby="p3">
    <h2 id="p3"><span class="mono n">3</span> Description</h2>
    <div v-for="q in d.draft?.asked" :key="q.key" class="field">
      <label :id="`q-${q.key}-label`" :for="`q-${q.key}`"
        >{{ q.label }}<span v-if="q.hint" class="sub small asks">{{ q.hint }}</span></label
      >
      <div>
        <VendorQuestion :id="`q-${q.key}`" v-model="d.form.answers[q.key]" :question="q" />
        <p v-if="q.answer && !q.given && !d.form.answers[q.key]" class="sub small">
          {{ q.answer }} (from the register)<CopyButton :value="q.answer" :what="q.label" />
        </p>
        <p v-if="q.problem" class="warn small">{{ q.problem }}</p>
      </div>
    </div>
    <div v-if="d.draft?.earlier?.length" class="field" data-testid="earlier">
      <span class="label">Earlier requests</span>
      <ul>
        <li v-for="e in d.draft.earlier" :key="e.number">
          <RouterLink :to="`/cases/${e.number}`">{{ e.number }}</RouterLink> {{ e.title }}
          <span class="sub">· {{ label('State', e.state) }} · opened {{ short(e.opened, now) }}</span>
          <p v-if="e.wanted" class="sub small wanted">{{ e.wanted }}</p>
        </li>
      </ul>
    </div>
    <div v-for="s in rows" :key="s.key" class="field">
      <label :for="`t-${s.key}`">{{ s.label }}</label>
      <NInput
        v-model:value="d.form.texts[s.key]"
        :type="lines.includes(s.key) ? 'text' : 'textarea'"
        :autosize="lines.includes(s.key) ? undefined : { minRows: height[s.key] ?? 1, maxRows: 14 }"
        placeholder=""
        :input-props="attrs({ id: `t-${s.key}`, 'data-testid': s.key })"
      />
    </div>
    <LeavingCheck class="check" :text="written.join(between)" later @mask="mask" />
    <p v-if="others > 0" class="field">
      <span></span>
      <button class="linkish" type="button" data-testid="more-parts" @click="more = true">
        {{ others === 1 ? '1 more part' : `${others} more parts` }}
      </button>
    </p>
  </section>
</template>

<style scoped>
ul {
  margin: 0;
  padding-left: 18px;
}
.check {
  margin-top: 10px;
}
.wanted {
  white-space: pre-line;
}
.asks {
  display: block;
}
</style>
