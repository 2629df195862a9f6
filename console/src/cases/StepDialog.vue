<script setup lang="ts">
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { newKey, Problem, unclear, words, type Case, type Schemas, type StepBody } from '../shared/api'
import { forInput, fromInput, now } from '../shared/time'
import { byChannel, choicesOf, label } from '../shared/words'
import { useSteps } from './queries'
import { useOwners } from '../people/queries'
import { useVendor } from '../vendors/queries'
import LeavingCheck from '../files/LeavingCheck.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import TimeText from '../shared/TimeText.vue'
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
const whom = ref<Schemas['Whom']>('vendor')
const whomName = ref('')
const whoms = choicesOf('Whom')
/** Whose name has to be said, since it is not plain. */
const named = computed(() => ['partner', 'carrier', 'person'].includes(whom.value))
const summary = ref('')
const problem = ref('')
const busy = ref(false)
const confirmed = ref<number[]>([])
const contact = ref('')
const disclose = ref('')
const stopped = ref(false)
/** A reopening is asked for although the vendor's limit has passed. */
const anyway = ref(false)
const late = computed(() => !!props.view.reopen_past && ['reopen', 'dispute'].includes(props.step ?? ''))
const person = ref<string>()
const owners = useOwners()
let key = newKey()
const level = computed(() => vendor.data.value?.levels.find((l) => l.rank === to.value))
watch(to, () => (confirmed.value = []))

type Words = { will: string; reason?: 'required' | 'optional'; told?: boolean }
const them = computed(() => props.view.line.vendor)
const table = computed<Record<string, Words>>(() => ({
  accept: {
    will: `${them.value} is told that the fix works, and the case is resolved.`,
    reason: 'optional',
    told: true,
  },
  reject: {
    will: `${them.value} is told that the fix does not work. The vendor's clocks run on as if they had never stopped.`,
    reason: 'required',
    told: true,
  },
  'reject-workaround': {
    will: `${them.value} is told that the workaround does not work.`,
    reason: 'required',
    told: true,
  },
  resolve: {
    will: `${them.value} is told that the case is solved, without a fix from the vendor.`,
    reason: 'required',
    told: true,
  },
  close: {
    will: props.view.vendor_closed
      ? 'The vendor has already closed it, so nothing is sent.'
      : `${them.value} is asked to close the case too.`,
    reason: props.view.line.state === 'resolved' ? 'optional' : 'required',
    told: true,
  },
  withdraw: {
    will:
      props.view.line.state === 'draft'
        ? 'The draft ends for good. Nothing has been sent to the vendor.'
        : `${them.value} is told, and the case ends for good: a withdrawn case cannot be reopened.`,
    reason: props.view.line.state === 'draft' ? 'optional' : 'required',
    told: true,
  },
  reopen: {
    will: `${them.value} is asked to reopen the case. The vendor's clocks start again.`,
    reason: 'required',
    told: true,
  },
  dispute: {
    will: `${them.value} is told that the case is not solved, and is asked to reopen it.`,
    reason: 'required',
    told: true,
  },
  park: {
    will: agreed.value
      ? `${them.value} is told. The clocks of both sides stop until the date.`
      : "Our clocks stop until the date. The vendor's clocks keep running.",
    reason: 'required',
  },
  resume: { will: 'The clocks continue.', reason: 'optional' },
  level: {
    will: `${them.value} is asked for another level. The vendor's clocks change once the request has arrived.`,
    reason: 'required',
    told: true,
  },
  severity: {
    will: "Only our own clocks change. To change the vendor's clocks, change the vendor level.",
    reason: 'required',
  },
  offered: {
    will: "The vendor's clocks end at the time of the message. After a fix, the case waits on us.",
  },
  give: {
    will: 'Nothing is sent to the vendor. Your colleague finds it among their own cases, with where it stands on top.',
  },
  move: { will: 'Nothing is sent to the vendor.', reason: 'optional' },
}))
const title = computed(() => label('Step.step', props.step))
const w = computed(() => (props.step ? table.value[props.step] : undefined))
const levels = computed(
  () =>
    vendor.data.value?.levels
      .filter((l) => l.rank !== props.view.line.level)
      .map((l) => ({ label: `${l.label}: ${l.meaning}`, value: l.rank })) ?? [],
)
const severities = choicesOf('Severity')
  .map((s) => ({ label: `${s.value} ${s.label}`, value: Number(s.value) }))
  .filter((s) => s.value !== props.view.line.severity)

watch(
  () => props.step,
  async (s) => {
    reason.value = cause.value = problem.value = ''
    to.value = person.value = undefined
    whom.value = props.view.line.waits_on ?? 'vendor'
    whomName.value = props.view.line.waits_on_name ?? ''
    summary.value = props.view.line.summary ?? ''
    agreed.value = stopped.value = anyway.value = false
    disclose.value = ''
    key = newKey()
    contact.value = props.view.texts.contact_always ?? ''
    until.value = forInput(new Date(now().getTime() + 2 * 86_400_000).toISOString())
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
  if (props.step === 'park') Object.assign(body, { until: fromInput(until.value), agreed: agreed.value })
  if (told.value && disclose.value.trim()) body.disclose_reason = disclose.value.trim()
  if (to.value) body.to = to.value
  if (late.value && anyway.value) body.anyway = true
  if (person.value) body.person = person.value
  if (props.step === 'level')
    Object.assign(body, {
      confirmed: confirmed.value.length ? confirmed.value : undefined,
      contact: contact.value.trim() || undefined,
    })
  if (props.step === 'offered') Object.assign(body, { offers: offers.value, entry: props.entry })
  if (props.step === 'move')
    Object.assign(body, { waits_on: whom.value, waits_on_name: whomName.value.trim() || undefined })
  if (props.step === 'give' && summary.value.trim() !== (props.view.line.summary ?? ''))
    body.summary = summary.value.trim() || undefined
  try {
    await take(props.view.line.number, props.etag, body, key)
    emit('done', step)
  } catch (e) {
    if (!unclear(e)) key = newKey()
    problem.value =
      words(e) +
      (e instanceof Problem && e.kind === 'stale' ? ' It is shown as it is now: check it, then try again.' : '')
  } finally {
    busy.value = false
  }
}
const told = computed(() => !!w.value?.told || (props.step === 'park' && agreed.value))
const incomplete = computed(
  () =>
    (told.value && stopped.value) ||
    (late.value && !anyway.value) ||
    (w.value?.reason === 'required' && !reason.value.trim()) ||
    (props.step === 'give' && !person.value) ||
    (props.step === 'move' && named.value && !whomName.value.trim()) ||
    (['level', 'severity'].includes(props.step ?? '') && !to.value) ||
    (props.step === 'level' && !!level.value && level.value.criteria.some((c) => !confirmed.value.includes(c.id))),
)
</script>

<template>
  <DialogFrame v-if="w" name="step-dialog" :title="title" size="middle" @leave="emit('leave')">
    <form @submit.prevent="go">
      <p class="sub">
        <span class="mono">{{ view.line.number }}</span> {{ view.line.title }}
      </p>
      <p class="just-below">{{ w.will }}</p>
      <div v-if="late" class="warn just-below" data-testid="past-limit">
        <p>
          {{ them }} no longer reopens it: the limit was <TimeText :at="view.reopen_until" />.
          <RouterLink :to="`/open?follows=${view.line.number}`" data-testid="follow-on"
            >Open a new case that refers to this one</RouterLink
          >
        </p>
        <label class="row"
          ><input v-model="anyway" type="checkbox" data-testid="anyway" /> Ask {{ them }} to reopen it anyway</label
        >
      </div>
      <p v-else-if="view.reopen_until && ['reopen', 'dispute'].includes(step ?? '')" class="sub just-below">
        {{ them }} can reopen it until <TimeText :at="view.reopen_until" />.
      </p>
      <div v-if="step === 'level'" class="field">
        <label>Level</label
        ><NSelect
          v-model:value="to"
          :options="levels"
          placeholder="Choose"
          :input-props="attrs({ 'aria-label': 'Level' })"
          data-testid="to-level"
        />
      </div>
      <template v-if="step === 'level' && level">
        <p v-if="level.channels?.length" class="sub small">
          This level has to be requested {{ level.channels.map(byChannel).join(' or ') }}.
        </p>
        <fieldset v-if="level.criteria.length" class="conditions">
          <legend>Conditions, each confirmed by you</legend>
          <label v-for="c in level.criteria" :key="c.id" class="row"
            ><input v-model="confirmed" type="checkbox" :value="c.id" data-testid="condition" /> {{ c.text }}</label
          >
        </fieldset>
        <div v-if="level.round_the_clock" class="field">
          <label for="always">Contact round the clock</label
          ><NInput
            v-model:value="contact"
            placeholder="Whoever is on the rota, if left empty"
            :input-props="attrs({ id: 'always', 'data-testid': 'always' })"
          />
        </div>
      </template>
      <div v-if="step === 'give'" class="field">
        <label>Owner</label
        ><NSelect
          v-model:value="person"
          filterable
          :options="owners"
          placeholder="Choose"
          :input-props="attrs({ 'aria-label': 'Owner' })"
          data-testid="to-person"
          :menu-props="attrs({ 'data-testid': 'to-person-menu' })"
          :node-props="(o) => attrs({ 'data-testid': 'to-person-opt-' + o.value })"
        />
      </div>
      <div v-if="step === 'severity'" class="field">
        <label>Severity</label
        ><NSelect v-model:value="to" :options="severities" placeholder="Choose" data-testid="to-severity" />
      </div>
      <fieldset v-if="step === 'offered'" class="segments above">
        <legend class="hide">What was offered</legend>
        <label><input v-model="offers" type="radio" value="fix" />{{ label('Step.offers', 'fix') }}</label
        ><label
          ><input v-model="offers" type="radio" value="workaround" />{{ label('Step.offers', 'workaround') }}</label
        >
      </fieldset>
      <template v-if="step === 'move'">
        <div class="field">
          <label for="whom">Waiting on</label
          ><select id="whom" v-model="whom" class="in" data-testid="whom">
            <option v-for="o in whoms" :key="o.value" :value="o.value">{{ o.label }}</option>
          </select>
        </div>
        <div class="field">
          <label for="whom-name">{{ named ? 'Name' : 'Name (optional)' }}</label><input
            id="whom-name"
            v-model="whomName"
            class="in"
            maxlength="200"
            data-testid="whom-name"
          />
        </div>
      </template>
      <div v-if="step === 'give'" class="field">
        <label for="stands">Where it stands</label>
        <textarea id="stands" v-model="summary" class="in" rows="3" maxlength="2000" data-testid="stands" />
      </div>
      <template v-if="step === 'park'">
        <div class="field">
          <label for="until">Until</label><input id="until" v-model="until" type="datetime-local" class="native" />
        </div>
        <label class="row above"
          ><input v-model="agreed" type="checkbox" /> Agreed with {{ them }}: the vendor's clocks stop too, and the
          vendor is told</label
        >
      </template>
      <div v-if="w.reason" class="field">
        <label for="reason">{{
          w.told ? (w.reason === 'required' ? 'Message to the vendor' : 'Message to the vendor (optional)') : 'Reason'
        }}</label>
        <NInput
          v-model:value="reason"
          type="textarea"
          :autosize="{ minRows: 3, maxRows: 10 }"
          placeholder=""
          :input-props="attrs({ id: 'reason', 'data-testid': 'reason' })"
        />
        <LeavingCheck
          v-model:reason="disclose"
          :text="reason"
          :internal="!told"
          @mask="(t) => (reason = t)"
          @stopped="(s) => (stopped = s)"
        />
      </div>
      <div v-if="step === 'accept' || step === 'resolve'" class="field">
        <label for="cause">Cause</label
        ><NInput v-model:value="cause" placeholder="Internal, never sent" :input-props="attrs({ id: 'cause' })" />
      </div>
      <p v-if="problem" class="problem above" role="alert">{{ problem }}</p>
      <div class="row far">
        <NButton type="primary" attr-type="submit" :loading="busy" :disabled="incomplete" data-testid="step-go">{{
          title
        }}</NButton>
        <NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </DialogFrame>
</template>

<style scoped>
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
