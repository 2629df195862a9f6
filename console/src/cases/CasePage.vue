<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton, NDropdown } from 'naive-ui'
import { computed, onBeforeUnmount, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, newKey, ok, Problem, words, type Schemas } from '../shared/api'
import { refresh, useMe } from '../shared/queries'
import AsItStood from '../shared/AsItStood.vue'
import { useMoment } from '../shared/moment'
import { isLive, useCase, useEntries, useSteps } from './queries'
import ToSend from './ToSend.vue'
import CaseFacts from './CaseFacts.vue'
import DeadlineTrack from './DeadlineTrack.vue'
import MoveArrow from '../shared/MoveArrow.vue'
import RefileDialog from './RefileDialog.vue'
import RecordEntry from './RecordEntry.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import StuckDelivery from './StuckDelivery.vue'
import StepDialog from './StepDialog.vue'
import TimeText from '../shared/TimeText.vue'
import { now } from '../shared/time'
import { label } from '../shared/words'
import BriefDialog from '../escalation/BriefDialog.vue'
import CaseAdvice from './CaseAdvice.vue'
import WhereItStands from './WhereItStands.vue'
import WritingDoors from './WritingDoors.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const name = toRef(() => String(route.params.name ?? ''))
const { moment, go } = useMoment()
const past = computed(() => !!moment.value.at)
const { data, error } = useCase(name, moment)
const entries = useEntries(name, moment)
const me = useMe()
const takeStep = useSteps()
const view = computed(() => data.value?.data)
const line = computed(() => view.value?.line)
const may = computed(() => !past.value && (me.data.value?.may.includes('work') ?? false))
// Writing begins below the record: a form that was there first would be pushed away while somebody types, and would
// take what the record then shows for news.
const recorded = computed(() => !!entries.data.value)
const unreadable = computed(() => (entries.error.value && !recorded.value ? words(entries.error.value) : ''))
const lastEntry = computed(() => entries.data.value?.at(-1)?.number ?? 0)
const newest = ref(false)
const shown = computed(() => (newest.value ? [...(entries.data.value ?? [])].reverse() : (entries.data.value ?? [])))

const step = ref<string>()
const entry = ref<number>()
const begin = ref<'message' | 'chase'>()
const refiling = ref(false)
const briefing = ref(false)
const problem = ref('')

/** What answers the line of Today: a door, a dialog, or a look. */
function answer(what: string | undefined) {
  begin.value = undefined
  if (what === 'answer') begin.value = 'message'
  else if (what === 'chase') begin.value = 'chase'
  else if (what === 'escalate') void router.push(`/cases/${line.value!.number}/escalate`)
  else if (what === 'resume') step.value = 'resume'
  else if (what === 'agree-or-dispute') step.value = 'dispute'
}
watch(
  [() => view.value?.line.number, () => route.query.do],
  ([n, what]) => {
    if (!n || typeof what !== 'string') return
    if (what !== 'escalate') void router.replace({ query: {} })
    answer(what)
  },
  { immediate: true },
)
// A reference in the address leads to the case's own number.
watch(
  line,
  (l) => l && l.number !== name.value && void router.replace({ path: `/cases/${l.number}`, query: route.query }),
)

/**
 * Steps that have a door of their own on the page: filing stands with the draft, a condition with its level, an offer
 * with its entry.
 */
const elsewhere = ['file', 'confirm', 'offered']
const steps = computed(() => (view.value?.steps ?? []).filter((s) => !elsewhere.includes(s.step)))
const labels = computed(() => Object.fromEntries(steps.value.map((s) => [s.step, s.label])))
const allowed = computed(() => steps.value.filter((s) => !s.why).map((s) => s.step))
const fixOffered = computed(() => line.value?.state === 'fix-offered')
const main = computed<{ label: string; go: () => void } | undefined>(() => {
  if (!may.value || !view.value) return undefined
  if (view.value.allowed.includes('accept'))
    return { label: label('Step.step', 'accept') + '…', go: () => (step.value = 'accept') }
  switch (view.value.next_step) {
    case 'answer':
      return { label: label('NextStep', 'answer'), go: () => answer('answer') }
    case 'chase':
      return {
        label: label('NextStep', 'chase'),
        go: () => {
          begin.value = undefined
          setTimeout(() => answer('chase'))
        },
      }
    case 'escalate':
      return { label: label('NextStep', 'escalate') + '…', go: () => answer('escalate') }
    case 'agree-or-dispute':
      return { label: label('Step.step', 'resolve') + '…', go: () => (step.value = 'resolve') }
    case 'resume':
      return { label: label('Step.step', 'resume') + '…', go: () => (step.value = 'resume') }
    case 'read':
      return line.value?.move === 'ours'
        ? { label: label('NextStep', 'answer'), go: () => answer('answer') }
        : { label: 'Mark as read', go: () => void markRead() }
  }
  if (line.value?.state === 'resolved')
    return { label: label('Step.step', 'close') + '…', go: () => (step.value = 'close') }
  return undefined
})
const second = computed(() => {
  const taken = main.value?.label.replace('…', '')
  const order = fixOffered.value
    ? ['reject', 'park', 'level']
    : view.value?.vendor_closed
      ? ['dispute', 'close']
      : ['park', 'level', 'resolve', 'reopen']
  return order.filter((s) => allowed.value.includes(s) && labels.value[s] !== taken).slice(0, 3)
})
const more = computed(() => [
  { key: 'like', label: 'Open one like this', props: { 'data-testid': 'open-like' } },
  { key: 'stood', label: 'As it stood', props: { 'data-testid': 'stand' } },
  { key: 'brief', label: 'Tell management and users', props: { 'data-testid': 'brief' } },
  ...(isLive(line.value?.state)
    ? [
        { key: 'chase', label: label('NextStep', 'chase'), props: { 'data-testid': 'chase' } },
        { key: 'escalate', label: label('NextStep', 'escalate'), props: { 'data-testid': 'to-escalate' } },
        { key: 'refile', label: 'File again elsewhere', props: { 'data-testid': 'refile' } },
      ]
    : []),
  ...allowed.value
    .filter((s) => !second.value.includes(s) && s !== 'accept')
    .map((s) => ({ key: s, label: labels.value[s]! })),
  ...steps.value
    .filter((s) => s.why)
    .map((s) => ({
      key: s.step,
      label: s.label,
      disabled: true,
      props: { title: s.why, 'data-testid': `not-${s.step}` },
    })),
])
async function choose(key: string) {
  if (key === 'stood') return go({ at: new Date(now().getTime() - 3_600_000).toISOString() })
  if (key === 'brief') return void (briefing.value = true)
  if (key === 'refile') return void (refiling.value = true)
  if (key === 'escalate') return answer('escalate')
  if (key === 'chase') return answer('chase')
  if (key === 'like') return void router.push(`/open?like=${line.value!.number}`)
  if (key !== 'take') {
    step.value = key
    return
  }
  await act(() => takeStep(line.value!.number, data.value!.etag, { step: 'take' }))
}
async function act(fn: () => Promise<unknown>) {
  problem.value = ''
  try {
    await fn()
  } catch (e) {
    problem.value = words(e)
  }
}
const markRead = () =>
  act(async () => {
    await ok(
      client.POST('/cases/{case}/read', {
        params: { path: { case: line.value!.number }, header: { 'Idempotency-Key': newKey() } },
        body: { entry: lastEntry.value },
      }),
    )
    refresh(queries, line.value!.number)
  })
// Having the record before one's eyes is reading it, after a moment.
let reading: ReturnType<typeof setTimeout> | undefined
watch(
  [() => line.value?.number, lastEntry],
  ([number, last]) => {
    clearTimeout(reading)
    if (number && !past.value && (view.value?.read_entry ?? 0) < last && document.visibilityState === 'visible')
      reading = setTimeout(() => void markRead(), 4000)
  },
  { immediate: true },
)
onBeforeUnmount(() => clearTimeout(reading))
// What is new stays marked while the page is open: up to where the record was read before.
const readBefore = ref<number>()
watch(
  () => view.value?.line.number,
  () => (readBefore.value = view.value?.read_entry),
  { immediate: true },
)
// The number that came after the filing.
const bring = (number: string) =>
  act(async () => {
    await ok(
      client.PATCH('/cases/{case}', {
        params: { path: { case: line.value!.number }, header: { 'If-Match': data.value!.etag } },
        body: { reference: number },
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
    refresh(queries, line.value!.number)
  })
const decide = (id: number, decision: Schemas['Decision']['decision'], reference: string) =>
  act(async () => {
    await ok(
      client.POST('/cases/{case}/deliveries/{delivery}/decision', {
        params: { path: { case: line.value!.number, delivery: id }, header: { 'Idempotency-Key': newKey() } },
        body: { decision, [decision === 'refused' ? 'reason' : 'reference']: reference || undefined },
      }),
    )
    refresh(queries, line.value!.number)
  })
const toSend = computed(() => view.value?.on_the_way.filter((d) => d.state === 'to-send') ?? [])
const byPerson = computed(() => (view.value?.routes ?? []).some((r) => !r.automatic))
const stuck = computed(
  () =>
    view.value?.on_the_way
      .filter((d) => d.state !== 'to-send')
      .filter((d) => d.needs_person || d.state === 'unsure' || d.attempts > 1 || d.state === 'refused') ?? [],
)
const lost = computed(() => error.value instanceof Problem && error.value.status === 404)
</script>

<template>
  <div v-if="lost" class="panel roomy">
    <h1>Case not found</h1>
    <p class="sub">
      No case has the number or reference {{ name }}.
      <RouterLink :to="{ name: 'cases', query: { state: 'all' } }">All cases</RouterLink>
    </p>
  </div>
  <AsItStood v-else />
  <p v-if="error && !view && !lost" class="problem" role="alert">{{ words(error) }}</p>
  <template v-if="view && line">
    <div class="top-line">
      <span class="mono" data-testid="number">{{ line.number }}</span>
      <SeverityPlate :severity="line.severity" :word="line.severity_word" />
      <span
        >{{ line.severity_word ?? 'not graded'
        }}<span class="sub"
          ><template v-if="line.level_label"> · vendor level “{{ line.level_label }}”</template> ·
          <span data-testid="state">{{ label('State', line.state) }}</span></span
        ></span
      >
      <StandingMark :standing="line.standing" />
      <span v-if="line.move" class="sub" data-testid="move"
        >waiting on <MoveArrow :move="line.move" :whom="line.waits_on_words" /> since <TimeText :at="line.move_since"
      /></span>
      <span v-if="line.parked_until" class="sub">parked until <TimeText :at="line.parked_until" /></span>
      <span v-if="may" class="steps">
        <NButton v-for="s in second" :key="s" :data-testid="`step-${s}`" @click="step = s">{{ labels[s] }}</NButton>
        <NDropdown v-if="more.length" trigger="click" :options="more" @select="choose"
          ><NButton data-testid="more-steps" aria-haspopup="menu">More</NButton></NDropdown
        >
        <RouterLink v-if="line.state === 'draft' && !view.on_the_way.length" :to="`/open/${line.number}`"
          ><NButton type="primary" tag="span">Continue draft</NButton></RouterLink
        >
        <NButton v-if="main" type="primary" data-testid="main-step" @click="main.go">{{ main.label }}</NButton>
      </span>
    </div>
    <h1 class="title">{{ line.title }}</h1>
    <p v-if="view.next_why && view.next_step !== 'escalate'" class="sub" data-testid="next-why">{{ view.next_why }}</p>
    <CaseAdvice
      v-if="view.advice"
      :advice="view.advice"
      :name="line.number"
      :zone="view.vendor_zone"
      :may="may && view.next_step !== 'escalate'"
      :past="past"
    />
    <WhereItStands v-if="line.state !== 'draft'" :view="view" :may="may && isLive(line.state)" />
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <p v-if="view.vendor_closed && isLive(line.state)" class="notice">
      The vendor has closed the case. It stays open here until you agree (resolve, close) or dispute it.
    </p>
    <p v-if="view.untold?.length" class="notice" data-testid="untold">
      Not told to the vendor yet: {{ view.untold.map((u) => u.label).join(', ') }}.
      <button v-if="may" class="linkish" type="button" data-testid="tell" @click="answer('answer')">
        Tell the vendor
      </button>
    </p>
    <p v-if="view.files_due?.length && isLive(line.state)" class="notice" data-testid="files-due">
      The vendor is still waiting for: {{ view.files_due.join(', ') }}.
      <a class="linkish" href="#files">See the files</a>
    </p>
    <ToSend v-for="d in toSend" :key="d.id" :view="view" :delivery="d" :may="may" />
    <StuckDelivery
      v-for="d in stuck"
      :key="d.id"
      :delivery="d"
      :may="may"
      :by-person="byPerson"
      @decide="(what, reference) => decide(d.id, what, reference)"
    />
    <DeadlineTrack v-if="view.deadlines.length" :deadlines="view.deadlines" :as-of="view.as_of" />
    <div class="cols">
      <section aria-label="Record">
        <div class="row below">
          <h2>Record</h2>
          <button class="linkish" type="button" @click="newest = !newest">
            {{ newest ? 'Show oldest first' : 'Show newest first' }}
          </button>
        </div>
        <p v-if="unreadable" class="problem" role="alert">{{ unreadable }}</p>
        <RecordEntry
          v-for="e in shown"
          :key="e.number"
          :entry="e"
          :vendor="line.vendor"
          :fresh="readBefore !== undefined && e.number > readBefore && !e.mine"
          @mark="(n) => ((entry = n), (step = 'offered'))"
        />
        <WritingDoors
          v-if="recorded && may && line.state !== 'withdrawn'"
          :key="line.number"
          :view="view"
          :last-entry="lastEntry"
          :begin="begin"
        />
      </section>
      <CaseFacts :view="view" :etag="data!.etag" :may="may" @bring="bring" />
    </div>
    <BriefDialog v-if="briefing" :name="line.number" :title="line.title" @leave="briefing = false" />
    <RefileDialog v-if="refiling" :view="view" :etag="data!.etag" @leave="refiling = false" />
    <StepDialog
      :view="view"
      :etag="data!.etag"
      :step="step"
      :entry="entry"
      @done="(s) => s === step && (step = undefined)"
      @leave="step = undefined"
    />
  </template>
</template>

<style scoped>
.top-line {
  display: flex;
  align-items: center;
  gap: 14px;
  flex-wrap: wrap;
}
.steps {
  margin-left: auto;
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
.title {
  margin-top: 4px;
  overflow-wrap: anywhere;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 30px;
  margin-top: 14px;
}
.notice {
  border-left: 3px solid var(--brass);
  background: var(--soon-bg);
  padding: 8px 12px;
  border-radius: 4px;
  margin-top: 8px;
}
.problem {
  margin-top: 8px;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
  .cols > :deep(aside) {
    order: -1;
  }
}
</style>
