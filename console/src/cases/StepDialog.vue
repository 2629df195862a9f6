<script setup lang="ts">
import { NButton, NInput, NModal, NSelect } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { newKey, Problem, unclear, words, type Case, type StepBody } from '../shared/api'
import { byChannel } from '../shared/routes'
import { useSteps } from './queries'
import { useVendor } from '../vendors/queries'
import { trap } from '../shared/trap'
import { attrs } from '../shared/attrs'

const props = defineProps<{ view: Case; etag: string; step?: string; entry?: number }>()
const emit = defineEmits<{ done: [step: string]; leave: [] }>()
const take = useSteps()
const vendor = useVendor(computed(() => props.view.line.vendor_key))
const reason = ref('')
const cause = ref('')
const until = ref('')
const agreed = ref(false)
const to = ref<number>()
const offers = ref<'fix' | 'workaround'>('fix')
const move = ref<'ours' | 'theirs'>('theirs')
const problem = ref('')
const busy = ref(false)
const confirmed = ref<number[]>([])
const contact = ref('')
let key = newKey()
const level = computed(() => vendor.data.value?.levels.find((l) => l.rank === to.value))
watch(to, () => (confirmed.value = []))

type Words = { title: string; will: string; button: string; reason?: 'must' | 'may'; told?: boolean }
const them = computed(() => props.view.line.vendor)
const table = computed<Record<string, Words>>(() => ({
  'accept-fix': {
    title: 'Accept the fix',
    will: `${them.value} is told that it works, and the case is resolved.`,
    button: 'Accept and tell them',
    reason: 'may',
    told: true,
  },
  'reject-fix': {
    title: 'Reject the fix',
    will: `${them.value} is told that it does not work. Their clocks go on as if they had never stopped.`,
    button: 'Reject and tell them',
    reason: 'must',
    told: true,
  },
  'reject-workaround': {
    title: 'Reject the workaround',
    will: `${them.value} is told that it does not serve us.`,
    button: 'Reject and tell them',
    reason: 'must',
    told: true,
  },
  resolve: {
    title: 'Resolve',
    will: `${them.value} is told that it is solved, otherwise than by a fix of theirs.`,
    button: 'Resolve and tell them',
    reason: 'must',
    told: true,
  },
  close: {
    title: 'Close',
    will: props.view.vendor_closed
      ? 'They have closed it already; nobody is told.'
      : `${them.value} is asked to close its side too.`,
    button: 'Close',
    reason: props.view.line.state === 'resolved' ? 'may' : 'must',
    told: true,
  },
  withdraw: {
    title: 'Withdraw',
    will:
      props.view.line.state === 'draft'
        ? 'The draft is put away for good. Nobody outside knows of it.'
        : `${them.value} is told, and the case ends for good: a withdrawn case cannot be reopened.`,
    button: 'Withdraw',
    reason: props.view.line.state === 'draft' ? 'may' : 'must',
    told: true,
  },
  reopen: {
    title: 'Reopen',
    will: `${them.value} is told. Their clocks begin anew.`,
    button: 'Reopen and tell them',
    reason: 'must',
    told: true,
  },
  dispute: {
    title: 'Dispute the closing',
    will: `${them.value} is told that it is not solved and is asked to open it again.`,
    button: 'Dispute',
    reason: 'must',
    told: true,
  },
  park: {
    title: 'Park',
    will: agreed.value
      ? `${them.value} is told. Clocks of both sides stop once they know, until the date.`
      : 'Our clocks stop until the date. Theirs go on.',
    button: 'Park',
    reason: 'must',
  },
  return: { title: 'Resume', will: 'The clocks go on.', button: 'Resume', reason: 'may' },
  'change-level': {
    title: 'Ask for another level',
    will: `${them.value} is asked to take it at another level. Their clocks change once they have it.`,
    button: 'Ask them',
    reason: 'must',
    told: true,
  },
  'change-severity': {
    title: 'Change our severity',
    will: 'Only our own clocks change. Ask for another level to change theirs.',
    button: 'Change',
    reason: 'must',
  },
  'mark-offer': {
    title: 'Mark an offer',
    will: 'Their clocks end as of the message. A fix turns the move to us.',
    button: 'Mark it',
  },
  'give-move': { title: 'Whose move is it?', will: 'Nobody is told.', button: 'Say so', reason: 'may' },
}))
const w = computed(() => (props.step ? table.value[props.step] : undefined))
const levels = computed(
  () =>
    vendor.data.value?.levels
      .filter((l) => l.rank !== props.view.line.level)
      .map((l) => ({ label: `${l.label}: ${l.meaning}`, value: l.rank })) ?? [],
)
const severities = ['Stopped', 'Impaired', 'Hampered', 'Minor']
  .map((s, i) => ({ label: `${i + 1} ${s}`, value: i + 1 }))
  .filter((s) => s.value !== props.view.line.severity)

watch(
  () => props.step,
  async (s) => {
    reason.value = cause.value = problem.value = ''
    to.value = undefined
    agreed.value = false
    key = newKey()
    contact.value = props.view.texts.contact_always ?? ''
    until.value = new Date(Date.now() + 2 * 86_400_000 - new Date().getTimezoneOffset() * 60_000)
      .toISOString()
      .slice(0, 16)
    if (s) {
      await nextTick()
      setTimeout(() =>
        (document.getElementById('reason') ?? document.querySelector<HTMLElement>('[data-testid="step-go"]'))?.focus(),
      )
    }
  },
)

async function go() {
  busy.value = true
  problem.value = ''
  const step = props.step as StepBody['step']
  const body: StepBody = { step, reason: reason.value.trim() || undefined, cause: cause.value.trim() || undefined }
  if (props.step === 'park') Object.assign(body, { until: new Date(until.value).toISOString(), agreed: agreed.value })
  if (to.value) body.to = to.value
  if (props.step === 'change-level')
    Object.assign(body, {
      confirmed: confirmed.value.length ? confirmed.value : undefined,
      contact: contact.value.trim() || undefined,
    })
  if (props.step === 'mark-offer') Object.assign(body, { offers: offers.value, entry: props.entry })
  if (props.step === 'give-move') body.move = move.value
  try {
    await take(props.view.line.number, props.etag, body, key)
    emit('done', step)
  } catch (e) {
    if (!unclear(e)) key = newKey()
    problem.value =
      words(e) + (e instanceof Problem && e.kind === 'stale' ? ' It has been read again: look, then repeat.' : '')
  } finally {
    busy.value = false
  }
}
const incomplete = computed(
  () =>
    (w.value?.reason === 'must' && !reason.value.trim()) ||
    (['change-level', 'change-severity'].includes(props.step ?? '') && !to.value) ||
    (props.step === 'change-level' &&
      !!level.value &&
      ((level.value.round_the_clock && !contact.value.trim()) ||
        level.value.criteria.some((c) => !confirmed.value.includes(c.id)))),
)
</script>

<template>
  <NModal v-if="w" show :auto-focus="false" :trap-focus="false" @update:show="(s: boolean) => !s && emit('leave')">
    <form
      class="panel dialog"
      role="dialog"
      aria-modal="true"
      aria-labelledby="step-title"
      data-testid="step-dialog"
      @submit.prevent="go"
      @keydown="trap"
      @keydown.esc="emit('leave')"
    >
      <h1 id="step-title">{{ w.title }}</h1>
      <p class="sub">
        <span class="mono">{{ view.line.number }}</span> {{ view.line.title }}
      </p>
      <p class="just-below">{{ w.will }}</p>
      <div v-if="step === 'change-level'" class="field">
        <label>Level</label
        ><NSelect
          v-model:value="to"
          :options="levels"
          placeholder="Choose"
          :input-props="attrs({ 'aria-label': 'Level' })"
          data-testid="to-level"
        />
      </div>
      <template v-if="step === 'change-level' && level">
        <p v-if="level.channels?.length" class="sub small">
          They take this level by {{ level.channels.map((c) => byChannel[c] ?? c).join(' or ') }} only.
        </p>
        <fieldset v-if="level.criteria.length" class="conditions">
          <legend>Their conditions, each confirmed by you</legend>
          <label v-for="c in level.criteria" :key="c.id" class="row"
            ><input v-model="confirmed" type="checkbox" :value="c.id" data-testid="condition" /> {{ c.text }}</label
          >
        </fieldset>
        <div v-if="level.round_the_clock" class="field">
          <label for="always">Contact round the clock</label
          ><NInput
            v-model:value="contact"
            placeholder="Name and number"
            :input-props="attrs({ id: 'always', 'data-testid': 'always' })"
          />
        </div>
      </template>
      <div v-if="step === 'change-severity'" class="field">
        <label>Severity</label
        ><NSelect v-model:value="to" :options="severities" placeholder="Choose" data-testid="to-severity" />
      </div>
      <fieldset v-if="step === 'mark-offer'" class="segments above">
        <legend class="hide">What was offered</legend>
        <label><input v-model="offers" type="radio" value="fix" />a fix</label
        ><label><input v-model="offers" type="radio" value="workaround" />a workaround</label>
      </fieldset>
      <fieldset v-if="step === 'give-move'" class="segments above">
        <legend class="hide">Whose move</legend>
        <label><input v-model="move" type="radio" value="theirs" />theirs</label
        ><label><input v-model="move" type="radio" value="ours" />ours</label>
      </fieldset>
      <template v-if="step === 'park'">
        <div class="field">
          <label for="until">Until</label><input id="until" v-model="until" type="datetime-local" class="native" />
        </div>
        <label class="row above"
          ><input v-model="agreed" type="checkbox" /> Agreed with {{ them }}: their clocks stop too, and they are
          told</label
        >
      </template>
      <div v-if="w.reason" class="field">
        <label for="reason">{{
          w.told ? (w.reason === 'must' ? 'What they are told' : 'More words to them') : 'Why'
        }}</label>
        <NInput
          v-model:value="reason"
          type="textarea"
          :autosize="{ minRows: 3, maxRows: 10 }"
          placeholder=""
          :input-props="attrs({ id: 'reason', 'data-testid': 'reason' })"
        />
      </div>
      <div v-if="step === 'accept-fix' || step === 'resolve'" class="field">
        <label for="cause">What it was</label
        ><NInput v-model:value="cause" placeholder="Internal, never sent" :input-props="attrs({ id: 'cause' })" />
      </div>
      <p v-if="problem" class="problem above" role="alert">{{ problem }}</p>
      <div class="row far">
        <NButton type="primary" attr-type="submit" :loading="busy" :disabled="incomplete" data-testid="step-go">{{
          w.button
        }}</NButton>
        <NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </NModal>
</template>

<style scoped>
.dialog {
  width: 620px;
  max-width: calc(100vw - 24px);
  padding: 20px 24px 22px;
  color: var(--ink);
}
.conditions {
  border: 0;
  padding: 0;
  margin: 12px 0 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.conditions legend {
  font-weight: 600;
  padding: 0;
  margin-bottom: 4px;
}
.native {
  font: inherit;
  height: 32px;
  padding: 0 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--panel);
  color: var(--ink);
  max-width: 240px;
}
</style>
