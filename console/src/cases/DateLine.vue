<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, nextTick, reactive, ref } from 'vue'
import { client, ok, type Case, type Schemas } from '../shared/api'
import { fromInput } from '../shared/time'
import { choicesOf, label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'
import DateDetails from './DateDetails.vue'
import { useActs } from './acts'
import { detailFields, detailsOf, eventFile, type Details } from './dates'

// One thing that is to happen by a date, with what can become of it.
const props = defineProps<{ view: Case; date: Schemas['DatedItem']; may: boolean; live: boolean }>()
const { busy, problem, begin: anew, act, header } = useActs(() => props.view.line.number)
type How = Schemas['DateEnd']['how'] | 'details' | 'invite'
const hows = choicesOf('DateEnd.how')
const doing = ref<How>()
const end = reactive({ text: '', due: '', then: '' })
const guests = ref('')
const invitable = ['callback', 'visit', 'remote-session']
const file = computed(() => eventFile(props.view.line.number, props.date.item))
const details = ref<Details>({})
const fields = computed(() => detailFields(props.date.kind))
const known = computed(() => {
  const d = props.date.details
  return d ? fields.value.filter((f) => d[f.key]) : []
})
/** What may come once it was kept, in the same act. */
const then = computed(() =>
  !props.live
    ? undefined
    : (
        {
          'check-in': { kind: 'check-in', label: 'Look again on', text: undefined },
          part: { kind: 'part-return', label: 'The old part is back by', text: 'The old part' },
        } as const
      )[props.date.kind as 'check-in' | 'part'],
)
const named = computed(() => `${label('DateKind', props.date.kind)} ${props.date.item}`)
const path = () => ({ case: props.view.line.number, item: props.date.item })

async function begin(how: How) {
  anew()
  Object.assign(end, { text: '', due: '', then: '' })
  details.value = {}
  guests.value = ''
  doing.value = how
  await nextTick()
  document.getElementById(how === 'details' ? `date-${fields.value[0]?.key}` : 'date-why')?.focus()
}
async function finish(body: Schemas['DateEnd']) {
  const done = await act(() =>
    ok(client.POST('/cases/{case}/dates/{item}/end', { params: { path: path(), header: header() }, body })),
  )
  if (done) doing.value = undefined
}
async function invite() {
  const to = guests.value.split(/[\s,;]+/).filter(Boolean)
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/dates/{item}/invitation', {
        params: { path: path(), header: header() },
        body: { to },
      }),
    ),
  )
  if (done) doing.value = undefined
}
async function save() {
  if (doing.value === 'invite') return invite()
  if (doing.value === 'details') {
    const body = detailsOf(props.date.kind, details.value) ?? {}
    const done = await act(() =>
      ok(client.POST('/cases/{case}/dates/{item}/details', { params: { path: path(), header: header() }, body })),
    )
    if (done) doing.value = undefined
    return
  }
  await finish({
    how: doing.value!,
    text: end.text.trim() || undefined,
    due: doing.value === 'moved' && end.due ? fromInput(end.due) : undefined,
    then:
      doing.value === 'kept' && then.value && end.then
        ? { kind: then.value.kind, text: then.value.text, due: fromInput(end.then) }
        : undefined,
  })
}
</script>

<template>
  <div class="date" :data-testid="'date-' + date.item">
    <p>
      <b>{{ label('DateKind', date.kind) }}</b>: {{ date.text }}
    </p>
    <p v-if="known.length" class="sub small" data-testid="date-details">
      <template v-for="(f, i) in known" :key="f.key"
        >{{ i ? ' · ' : '' }}{{ f.label }}: <TimeText v-if="f.time" :at="date.details![f.key]" /><template v-else>{{
          date.details![f.key]
        }}</template></template
      >
    </p>
    <p class="sub small">
      {{ date.for ?? (date.owed === 'ours' ? 'Us' : 'Vendor') }} · due <TimeText :at="date.due_at" />
      <StandingMark :standing="date.standing" />
    </p>
    <p v-if="may && date.proposed_entry" class="small">
      <button
        class="linkish"
        type="button"
        :data-testid="`kept-by-${date.item}`"
        @click="finish({ how: 'kept', entry: date.proposed_entry })"
      >
        {{ date.kind === 'ask' ? 'Answered' : 'Kept' }} by entry {{ date.proposed_entry }}</button
      ><span class="sub"> (proposed)</span>
    </p>
    <p v-if="may" class="row wraps small">
      <button
        v-for="h in hows"
        :key="h.value"
        class="linkish"
        type="button"
        :aria-label="`${h.label}: ${named}`"
        :data-testid="`${h.value}-${date.item}`"
        @click="begin(h.value as How)"
      >
        {{ h.label }}
      </button>
      <button
        v-if="fields.length"
        class="linkish"
        type="button"
        :aria-label="`Add details: ${named}`"
        :data-testid="`details-${date.item}`"
        @click="begin('details')"
      >
        Add details
      </button>
      <button
        v-if="invitable.includes(date.kind)"
        class="linkish"
        type="button"
        :aria-label="`Invite people: ${named}`"
        :data-testid="`invite-${date.item}`"
        @click="begin('invite')"
      >
        Invite people
      </button>
      <a :href="file" :download="`${view.line.number}-${date.item}.ics`" :data-testid="`file-${date.item}`"
        >Calendar file</a
      >
    </p>
    <form v-if="doing" class="lines" data-testid="date-end" @submit.prevent="save">
      <DateDetails v-if="doing === 'details'" v-model="details" :kind="date.kind" name="date" />
      <label v-else-if="doing === 'invite'"
        >Email addresses
        <input
          id="date-why"
          v-model="guests"
          class="in"
          type="text"
          placeholder="one@company.example, two@company.example"
          data-testid="date-guests"
        /><span class="sub small"
          >They get an invitation by email, and another when this moves or is dropped.</span
        ></label
      >
      <template v-else>
        <label v-if="doing === 'moved'" class="row"
          >New date
          <input v-model="end.due" class="in" type="datetime-local" aria-label="New date" data-testid="date-to"
        /></label>
        <input
          id="date-why"
          v-model="end.text"
          class="in"
          :aria-label="doing === 'kept' ? 'What came of it' : 'Reason'"
          :placeholder="doing === 'kept' ? 'What came of it, optional' : 'Reason'"
          data-testid="date-why"
        />
        <label v-if="doing === 'kept' && then" class="row"
          >{{ then.label }} <input v-model="end.then" class="in" type="datetime-local" data-testid="date-then"
        /></label>
      </template>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="do-end-date">{{
          doing === 'details' ? 'Save details' : doing === 'invite' ? 'Send invitation' : label('DateEnd.how', doing)
        }}</NButton><NButton size="small" @click="doing = undefined">Cancel</NButton>
      </div>
    </form>
    <p v-else-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.date {
  margin-bottom: 10px;
}
.date p {
  margin: 0;
}
.sub > .st {
  margin-left: 6px;
}
.date .lines {
  margin-top: 6px;
}
.row {
  gap: 2px 10px;
}
</style>
