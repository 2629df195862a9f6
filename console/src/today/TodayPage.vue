<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { words, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { useLanes, useToday, useTodayAfter, type Part } from './queries'
import DeadlineLanes from './DeadlineLanes.vue'
import FirstSteps from './FirstSteps.vue'
import LineAnswer from './LineAnswer.vue'
import { useOwners } from '../people/queries'
import { useFilters } from '../shared/filters'
import { useMoment } from '../shared/moment'
import { label } from '../shared/words'
import { clock, longDay, short, useClock } from '../shared/time'
import AsItStood from '../shared/AsItStood.vue'
import MoveArrow from '../shared/MoveArrow.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

const router = useRouter()
const { one, set } = useFilters()
const parts = ['desk', 'mine', 'watched', 'access'] as const
const part = computed<Part>(() => {
  const person = one('person')
  if (person) return { whose: 'person', person }
  const whose = parts.find((p) => p === one('whose'))
  return { whose: whose ?? 'desk' }
})
const colleagues = useOwners()
const { moment, query: stood, stand } = useMoment()
const past = computed(() => !!moment.value.at)
const shown = computed(() => (moment.value.at ? new Date(moment.value.at) : now.value))
const { data, error } = useToday(part, moment)
const lanes = useLanes(
  part,
  computed(() => !past.value),
)
const me = useMe()
const may = computed(() => !past.value && (me.data.value?.may.includes('work') ?? false))
const now = useClock()
const zone = computed(() => data.value?.zone)
// What is less pressing is fetched when it is asked for, and followed from where the first page ended.
const rest = useTodayAfter(
  part,
  computed(() => data.value?.next),
)
const lines = computed(() => [...(data.value?.lines ?? []), ...rest.lines.value])
// Counts at a glance, each with the list that it opens.
const glances = computed(() => {
  const d = data.value
  if (!d) return []
  const whose: Record<string, string> =
    part.value.whose === 'person'
      ? { whose: 'person', person: part.value.person! }
      : part.value.whose === 'desk'
        ? {}
        : { whose: part.value.whose }
  return [
    { key: 'on-us', n: d.on_us, text: 'waiting on us', query: { move: 'ours', ...whose } },
    { key: 'unread', n: d.unread, text: 'unread', query: { show: 'unread', state: 'all', ...whose } },
    { key: 'stopped', n: d.stopped, text: 'severity 1', query: { severity: '1', ...whose } },
    { key: 'no-reference', n: d.no_reference, text: 'no reference', query: { reference: 'none', ...whose } },
    {
      key: 'not-confirmed',
      n: d.not_confirmed,
      text: 'not confirmed',
      query: { show: 'not-confirmed', state: 'all', ...whose },
    },
    { key: 'to-sort', n: d.to_sort ?? 0, text: 'to be sorted', query: { state: 'unsorted' } },
    { key: 'live', n: d.live, text: 'live', query: whose },
  ]
})
// What is kept of a time that has passed; the lists that counts open are those of now.
const stoodAt = ['on-us', 'stopped', 'no-reference', 'live']
// The line that is answered here; steps that need the whole page lead there.
const answering = ref<string>()
const here = ['chase', 'answer', 'keep', 'call', 'receipt', 'reference']
function answer(l: { step: string; case: { number: string }; item?: string; item_kind?: string }) {
  if (here.includes(l.step) || (l.step === 'look' && l.item_kind === 'check-in'))
    answering.value = answering.value === l.case.number ? undefined : l.case.number
  else void router.push({ path: `/cases/${l.case.number}`, query: { do: l.step } })
}
/** How to reach whom a line advises to escalate to, and whether anybody is there. */
function reach(l: Schemas['TodayLine']): string {
  const a = l.advice
  if (!a) return ''
  if (past.value) return a.how
  const until = a.until ? `, until ${short(a.until, now.value)}` : ''
  return `${a.how} · ${a.open ? 'open now' : 'closed now'}${until}`
}
const hidden = computed(() => (data.value?.total ?? 0) - lines.value.length)
</script>

<template>
  <FirstSteps v-if="me.data.value?.newcomer" />
  <div class="head">
    <h1>
      {{ longDay(shown) }}, <span class="tn">{{ clock(shown) }}</span>
    </h1>
    <span v-if="zone" class="sub tn"
      >{{ clock(shown, zone) }} desk time ({{ zone.split('/').pop()?.replaceAll('_', ' ') }})</span
    >
    <RouterLink class="small" :to="{ name: 'handover' }" data-testid="to-handover">Shift handover</RouterLink>
    <button v-if="!past" class="linkish small" type="button" data-testid="stand" @click="stand">As it stood…</button>
    <span v-if="data && past" class="sums tn">
      <StandingMark standing="late" :text="`${data.late} late`" />
      <StandingMark standing="due-soon" :text="`${data.due_soon} due soon`" />
      <span v-for="g in glances.filter((x) => stoodAt.includes(x.key))" :key="g.key" class="sub"
        >{{ g.n }} {{ g.text }}</span
      >
    </span>
    <span v-else-if="data" class="sums tn">
      <RouterLink
        class="glance"
        :to="{ name: 'cases', query: { show: 'late', state: 'all' } }"
        data-testid="glance-late"
        ><StandingMark standing="late" :text="`${data.late} late`"
      /></RouterLink>
      <StandingMark standing="due-soon" :text="`${data.due_soon} due soon`" />
      <RouterLink
        v-for="g in glances"
        :key="g.key"
        class="glance sub"
        :to="{ name: 'cases', query: g.query }"
        :data-testid="`glance-${g.key}`"
        >{{ g.n }} {{ g.text }}</RouterLink
      >
      <span class="sub">{{ data.on_the_way }} not delivered yet</span>
    </span>
  </div>
  <AsItStood />
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <p v-if="data?.rota_gap" class="warn gap" data-testid="rota-gap">
    Nobody can be reached round the clock from <TimeText :at="data.rota_gap.from" /><template
      v-if="data.rota_gap.until"
    >
      to <TimeText :at="data.rota_gap.until" /></template
    >. Needed by
    <template v-for="(c, i) in data.rota_gap.cases.slice(0, 3)" :key="c"
      ><template v-if="i > 0">, </template><RouterLink class="mono" :to="`/cases/${c}`">{{ c }}</RouterLink></template
    ><template v-if="data.rota_gap.needing > 3"> and {{ data.rota_gap.needing - 3 }} more</template>.
    <RouterLink to="/register/rota">See the rota</RouterLink>
  </p>
  <DeadlineLanes v-if="lanes.data.value && !past" :lanes="lanes.data.value" />
  <div class="head">
    <h2>Next</h2>
    <span class="sub">most pressing first</span>
    <fieldset class="segments right">
      <legend class="hide">Whose cases</legend>
      <label v-for="p in parts" :key="p"
        ><input
          type="radio"
          name="whose"
          :value="p"
          :checked="part.whose === p"
          :data-testid="p"
          @change="set({ whose: p === 'desk' ? '' : p, person: '' })"
        />{{ label('DeskPart', p) }}</label
      >
    </fieldset>
    <select
      class="in colleague"
      aria-label="A colleague's cases"
      :value="part.person ?? ''"
      data-testid="colleague"
      @change="set({ person: ($event.target as HTMLSelectElement).value, whose: '' })"
    >
      <option value="">{{ label('DeskPart', 'person') }}</option>
      <option v-for="p in colleagues" :key="p.value" :value="p.value">{{ p.label }}</option>
    </select>
  </div>
  <div v-if="data && data.lines.length === 0" class="panel roomy">
    <p>
      <b>{{ past ? 'Nothing needed attention.' : 'Nothing needs attention.' }}</b>
    </p>
    <p v-if="!past" class="sub">
      A live case appears here when a deadline runs, a vendor writes, or something cannot be sent.
      <RouterLink to="/open">Open a case</RouterLink> to start.
    </p>
  </div>
  <section v-else-if="data" class="panel list" aria-label="What needs attention next">
    <div class="line names small sub" aria-hidden="true">
      <span></span><span>Case</span><span></span><span>Vendor</span><span>Reason</span><span>Standing</span
      ><span>Due</span><span>Waiting on</span><span>Owner</span><span></span>
    </div>
    <div v-for="l in lines" :key="l.case.number" class="line" data-testid="today-line">
      <SeverityPlate :severity="l.case.severity" :word="l.case.severity_word" />
      <RouterLink class="mono" data-walk :to="{ path: `/cases/${l.case.number}`, query: stood }">{{
        l.case.number
      }}</RouterLink>
      <span class="cut title" :title="l.case.title"
        ><b>{{ l.case.title }}</b
        ><span v-if="l.case.new" class="sub small" data-testid="new"> {{ l.case.new }} new</span></span
      >
      <span class="cut vendor sub" :title="l.case.vendor">{{ l.case.vendor }}</span>
      <span class="cut why" :title="l.why"
        >{{ l.why }}<span v-if="l.advice" class="cut reach sub small" :title="reach(l)">{{ reach(l) }}</span></span
      >
      <span class="stand"><StandingMark :standing="l.standing" /></span>
      <TimeText :at="l.due" class="due" /><span v-if="!l.due" class="due"></span>
      <span class="move"><MoveArrow :move="l.case.move" :whom="l.case.waits_on_words" /></span>
      <span class="sub who" :title="l.case.owner">{{ l.case.owner_initials }}</span>
      <NButton
        v-if="may && (l.step !== 'look' || l.item_kind === 'check-in')"
        class="step"
        size="small"
        :aria-label="`${l.step_words}: ${l.case.number}`"
        :aria-expanded="answering === l.case.number"
        @click="answer(l)"
        >{{ l.step_words }}</NButton
      >
      <LineAnswer v-if="answering === l.case.number" class="whole" :line="l" @done="answering = undefined" />
    </div>
    <p v-if="hidden > 0" class="rest sub">
      and {{ hidden }} less pressing.
      <button v-if="!past" class="linkish" type="button" data-testid="more-lines" @click="rest.more()">
        Show more
      </button>
    </p>
    <p v-if="rest.problem.value" class="problem" role="alert">{{ rest.problem.value }}</p>
  </section>
  <section v-if="data?.drafts.length" class="ending" aria-label="Your drafts">
    <h2>Your drafts</h2>
    <ul>
      <li v-for="r in data.drafts" :key="r.number" data-testid="own-draft">
        <RouterLink class="mono" :to="`/open/${r.number}`">{{ r.number }}</RouterLink>{{ ' ' }} <b>{{ r.title }}</b>{{
          ' '
        }}
        <span class="sub">{{ r.vendor }} · changed <TimeText :at="r.changed_at" /></span>
      </li>
    </ul>
  </section>
  <section v-if="data?.contracts.length" class="ending" aria-label="Contracts that end or need notice">
    <h2>Contracts that end or need notice</h2>
    <ul>
      <li v-for="k in data.contracts" :key="k.id" :class="{ near: k.within === 30 }" data-testid="ending">
        <RouterLink class="mono" :to="`/register/contracts/${k.id}`">{{ k.number }}</RouterLink>{{ ' ' }}
        <span class="sub">{{ k.vendor }}</span> {{ k.words.join('. ') }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
.gap {
  margin-bottom: 10px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 14px;
  margin-bottom: 10px;
  flex-wrap: wrap;
}
.sums {
  margin-left: auto;
  display: flex;
  gap: 18px;
  flex-wrap: wrap;
}
.line {
  display: grid;
  grid-template-columns: 24px 60px minmax(0, 1fr) 146px minmax(0, 212px) 88px 112px 64px 44px 118px;
  gap: 10px;
  align-items: center;
  min-height: 37px;
  padding: 0 14px;
  border-top: 1px solid var(--line2);
}
.line.names {
  min-height: 30px;
  border: 0;
}
.line:not(.names):hover {
  background: color-mix(in srgb, var(--primary) 5%, var(--panel));
}
.reach {
  display: block;
}
.line b {
  font-weight: 600;
}
.ending {
  margin-top: 18px;
}
.ending ul {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
}
.ending li {
  padding: 5px 0 5px 12px;
  border-left: 3px solid var(--line2);
  margin-bottom: 4px;
}
.ending li.near {
  border-left-color: var(--soon);
}
.whole {
  grid-column: 1 / -1;
}
.title > .sub {
  margin-left: 8px;
  color: var(--brass);
  font-weight: 600;
}
.glance {
  text-decoration: none;
}
.glance:hover {
  text-decoration: underline;
}
.colleague {
  width: auto;
  height: 30px;
}
.rest {
  padding: 10px 14px;
  border-top: 1px solid var(--line2);
}
@media (max-width: 900px) {
  .line {
    grid-template-columns: 24px 66px 1fr auto;
    height: auto;
    padding: 10px 12px;
    row-gap: 4px;
  }
  .names {
    display: none !important;
  }
  .title {
    grid-column: 1 / -1;
    grid-row: 2;
  }
  .vendor {
    grid-column: 1 / -1;
  }
  .why {
    grid-column: 1 / -1;
    white-space: normal;
  }
  .due {
    display: none;
  }
  .who {
    grid-column: 3 / -1;
    text-align: right;
  }
  .stand {
    grid-column: 4;
    grid-row: 1;
  }
  .move {
    grid-column: 1 / 3;
  }
  .step {
    grid-column: 1 / -1;
  }
}
</style>
