<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, nextTick, reactive, ref } from 'vue'
import { client, newKey, ok, type Case, type Schemas } from '../shared/api'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'
import { fromInput } from '../shared/time'
import { choicesOf, label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

// What is to happen by a date on a case: each is kept, moved or dropped here, and others are added.
const props = defineProps<{ view: Case; may: boolean; live: boolean }>()
const queries = useQueryClient()
const { busy, problem, send } = useSending()
type How = Schemas['DateEnd']['how']
const byItself = ['consent', 'receipt', 'escalation', 'needed-by', 'closing']
const kinds = choicesOf('DateKind').filter((k) => !byItself.includes(k.value))
const hows = choicesOf('DateEnd.how')
const blank = () => ({ kind: 'promise', owed: '', text: '', due: '' })
const form = reactive(blank())
const adding = ref(false)
const ending = ref<{ item: string; how: How }>()
const end = reactive({ text: '', due: '' })
const all = ref(false)
let key = newKey()
const open = computed(() => (props.view.dates ?? []).filter((d) => !d.ended_at))
const ended = computed(() => (props.view.dates ?? []).filter((d) => d.ended_at))

async function show(id: string) {
  problem.value = ''
  key = newKey()
  await nextTick()
  document.getElementById(id)?.focus()
}
function add() {
  adding.value = true
  ending.value = undefined
  void show('date-kind')
}
function finish(item: string, how: How) {
  ending.value = { item, how }
  adding.value = false
  void show('date-why')
}
async function act(fn: () => Promise<unknown>) {
  const sent = await send(async () => {
    await fn()
  })
  key = newKey()
  if (sent) {
    adding.value = false
    ending.value = undefined
    Object.assign(form, blank())
    Object.assign(end, { text: '', due: '' })
  }
  refresh(queries, props.view.line.number)
}
const header = () => ({ 'Idempotency-Key': key })
const set = () =>
  act(() =>
    ok(
      client.POST('/cases/{case}/dates', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: {
          kind: form.kind as Schemas['DateKind'],
          owed: (form.owed || undefined) as Schemas['Side'] | undefined,
          text: form.text.trim() || undefined,
          due: form.due ? fromInput(form.due) : undefined,
        },
      }),
    ),
  )
const say = (e: { item: string; how: How }) =>
  act(() =>
    ok(
      client.POST('/cases/{case}/dates/{item}/end', {
        params: { path: { case: props.view.line.number, item: e.item }, header: header() },
        body: {
          how: e.how,
          text: end.text.trim() || undefined,
          due: e.how === 'moved' && end.due ? fromInput(end.due) : undefined,
        },
      }),
    ),
  )
</script>

<template>
  <section v-if="open.length || ended.length || (may && live)" aria-label="Dates" data-testid="dates">
    <h2>Dates</h2>
    <div v-for="d in open" :key="d.item" class="date" :data-testid="'date-' + d.item">
      <p>
        <b>{{ label('DateKind', d.kind) }}</b>: {{ d.text }}
      </p>
      <p class="sub small">
        {{ d.for ?? (d.owed === 'ours' ? 'Us' : 'Vendor') }} · due <TimeText :at="d.due_at" />
        <StandingMark :standing="d.standing" />
      </p>
      <p v-if="may" class="row wraps small">
        <button
          v-for="h in hows"
          :key="h.value"
          class="linkish"
          type="button"
          :aria-label="`${h.label}: ${label('DateKind', d.kind)} ${d.item}`"
          :data-testid="`${h.value}-${d.item}`"
          @click="finish(d.item, h.value as How)"
        >
          {{ h.label }}
        </button>
      </p>
      <form v-if="ending?.item === d.item" class="lines" data-testid="date-end" @submit.prevent="ending && say(ending)">
        <label v-if="ending.how === 'moved'" class="row"
          >New date
          <input v-model="end.due" class="in" type="datetime-local" aria-label="New date" data-testid="date-to"
        /></label>
        <input
          id="date-why"
          v-model="end.text"
          class="in"
          :aria-label="ending.how === 'kept' ? 'What came of it' : 'Reason'"
          :placeholder="ending.how === 'kept' ? 'What came of it, optional' : 'Reason'"
          data-testid="date-why"
        />
        <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
        <div class="row">
          <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="do-end-date">{{
            label('DateEnd.how', ending.how)
          }}</NButton><NButton size="small" @click="ending = undefined">Cancel</NButton>
        </div>
      </form>
    </div>
    <template v-if="all">
      <p v-for="(d, i) in ended" :key="i" class="small sub" data-testid="ended-date">
        {{ label('DateKind', d.kind) }}: {{ d.text }} · <TimeText :at="d.due_at" />
        <StandingMark :standing="d.standing" />
      </p>
    </template>
    <form v-if="adding" class="lines" data-testid="date-form" @submit.prevent="set">
      <label for="date-kind" class="hide">Kind</label
      ><select id="date-kind" v-model="form.kind" class="in" data-testid="date-kind">
        <option v-for="o in kinds" :key="o.value" :value="o.value">{{ o.label }}</option>
      </select>
      <label for="date-owed" class="hide">Owed by</label
      ><select id="date-owed" v-model="form.owed" class="in" data-testid="date-owed">
        <option value="">Owed by whoever usually does</option>
        <option value="theirs">Owed by the vendor</option>
        <option value="ours">Owed by us</option>
      </select>
      <input
        v-model="form.text"
        class="in"
        aria-label="What is to happen"
        placeholder="What is to happen"
        data-testid="date-text"
      />
      <label class="row"
        >Due <input v-model="form.due" class="in" type="datetime-local" aria-label="Due" data-testid="date-due"
      /></label>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="set-date">Set date</NButton
        ><NButton size="small" @click="adding = false">Cancel</NButton>
      </div>
    </form>
    <p v-else class="row wraps small">
      <button v-if="may && live" class="linkish" type="button" data-testid="add-date" @click="add">Set a date</button>
      <button v-if="ended.length && !all" class="linkish" type="button" data-testid="all-dates" @click="all = true">
        Show {{ ended.length }} ended
      </button>
    </p>
  </section>
</template>

<style scoped>
.lines {
  display: flex;
  flex-direction: column;
  gap: 6px;
  max-width: 420px;
}
.date {
  margin-bottom: 10px;
}
.date p {
  margin: 0;
}
.sub > .st {
  margin-left: 6px;
}
.lines label {
  white-space: nowrap;
}
.date .lines {
  margin-top: 6px;
}
.row {
  gap: 10px;
}
</style>
