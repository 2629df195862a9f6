<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { computed, reactive, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, newKey, ok, Problem, words as say, type Schemas } from '../shared/api'
import { target as inUnits, weekdays, weekWords } from '../shared/words'
import { useMe } from '../shared/queries'
import { useVendors } from '../vendors/queries'
import { useCalendars } from './queries'
import HoursDrawing from './HoursDrawing.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const vendors = useVendors()
const all = useCalendars()
const fresh = computed(() => route.params.id === 'new')
const calendar = computed(() => all.data.value?.items.find((c) => c.id === Number(route.params.id)))
const mayWrite = computed(() => me.data.value?.may.includes('vendors') ?? false)
const days = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun'] as const

const editing = ref(fresh.value)
const form = reactive({
  name: '',
  vendor: '',
  zone: 'Europe/Oslo',
  always: false,
  week: Object.fromEntries(days.map((d) => [d, ''])) as Record<string, string>,
  closed: '',
  extra: '',
  from: '',
})
const problem = ref('')
const busy = ref(false)
const target = ref('4h')

function fill(d: Schemas['HoursDefinition']) {
  form.zone = d.zone ?? 'UTC'
  form.always = !!d.always
  for (const day of days) form.week[day] = d.week?.[day]?.join(', ') ?? ''
  form.closed = d.closed?.join('\n') ?? ''
  form.extra = Object.entries(d.extra ?? {})
    .map(([date, w]) => `${date} ${w.join(', ')}`.trim())
    .join('\n')
}
watch(
  calendar,
  (c) => {
    if (c && !editing.value) fill(c.versions.at(-1)!.definition)
  },
  { immediate: true },
)

const split = (s: string) =>
  s
    .split(',')
    .map((x) => x.trim())
    .filter(Boolean)
const definition = computed<Schemas['HoursDefinition']>(() => {
  if (form.always) return { always: true, zone: form.zone || undefined }
  const extra = Object.fromEntries(
    form.extra
      .split('\n')
      .map((l) => l.trim())
      .filter(Boolean)
      .map((l) => [l.slice(0, 10), split(l.slice(10))]),
  )
  const closed = form.closed
    .split(/[\n,]/)
    .map((x) => x.trim())
    .filter(Boolean)
  return {
    zone: form.zone,
    week: Object.fromEntries(days.filter((d) => split(form.week[d]!).length).map((d) => [d, split(form.week[d]!)])),
    closed: closed.length ? closed : undefined,
    extra: Object.keys(extra).length ? extra : undefined,
  }
})
const preview = ref<Schemas['Preview']>()
const wrong = ref('')
const look = useDebounceFn(async () => {
  try {
    preview.value = await ok(
      client.POST('/preview', { body: { definition: definition.value, target: target.value.trim() || undefined } }),
    )
    wrong.value = ''
  } catch (e) {
    wrong.value = e instanceof Problem ? (e.doc.errors?.map((f) => f.detail).join('; ') ?? e.message) : say(e)
  }
}, 250)
watch([definition, target], () => void look(), { immediate: true })

const when = (iso: string, zone: string) =>
  new Intl.DateTimeFormat('en-GB', {
    weekday: 'long',
    day: 'numeric',
    month: 'long',
    hour: '2-digit',
    minute: '2-digit',
    timeZone: zone,
  }).format(new Date(iso))
const inWords = computed(() => {
  const p = preview.value
  if (!p) return ''
  if (p.problem) return p.problem
  return p.due
    ? `A target of ${inUnits(target.value)} that started now would fall due on ${when(p.due, p.zone)} (${p.zone}).`
    : ''
})

async function keep() {
  busy.value = true
  problem.value = ''
  try {
    let id = Number(route.params.id)
    if (fresh.value)
      id = (
        await ok(
          client.POST('/calendars', {
            params: { header: { 'Idempotency-Key': newKey() } },
            body: { name: form.name, vendor: form.vendor || undefined, definition: definition.value },
          }),
        )
      ).id
    else {
      const done = await ok(
        client.POST('/calendars/{id}/versions', {
          params: { path: { id }, header: { 'Idempotency-Key': newKey() } },
          body: { definition: definition.value, from: form.from || undefined },
        }),
      )
      const cases = done.recalculated === 1 ? '1 live case is' : `${done.recalculated ?? 0} live cases are`
      told.value = `The new hours apply from ${done.versions.at(-1)!.counts_from}. ${cases} being recalculated.`
    }
    await queries.invalidateQueries({ queryKey: ['calendars'] })
    void queries.invalidateQueries({ queryKey: ['vendor'] })
    editing.value = false
    if (fresh.value) await router.replace(`/register/calendars/${id}`)
  } catch (e) {
    problem.value = e instanceof Problem ? (e.doc.errors?.map((f) => f.detail).join('; ') ?? e.message) : say(e)
  } finally {
    busy.value = false
  }
}
const told = ref('')
</script>

<template>
  <p class="small"><RouterLink to="/register/calendars">Calendars</RouterLink></p>
  <template v-if="fresh || calendar">
    <div class="row head">
      <h1>{{ fresh ? 'New calendar' : calendar!.name }}</h1>
      <span v-if="calendar?.vendor" class="sub">{{ calendar.vendor }}</span><span class="grow" />
      <NButton v-if="mayWrite && !editing" type="primary" data-testid="edit" @click="editing = true"
        >Change the hours</NButton
      >
    </div>
    <p v-if="calendar" class="sub">
      Used by {{ calendar.vendors === 1 ? '1 vendor' : `${calendar.vendors} vendors` }} as support hours, by
      {{ calendar.terms === 1 ? '1 target' : `${calendar.terms} targets` }} and by
      {{ calendar.running_clocks === 1 ? '1 running clock' : `${calendar.running_clocks} running clocks` }}.
    </p>
    <p v-if="told" role="status" data-testid="told">{{ told }}</p>
    <p v-if="calendar?.recalculating" class="sub" role="status" data-testid="recalculating">
      {{ calendar.recalculating === 1 ? '1 live case' : `${calendar.recalculating} live cases` }} still to be
      recalculated.
    </p>
    <p v-if="problem" class="problem" role="alert" data-testid="problem">{{ problem }}</p>
    <div class="cols">
      <section class="panel part">
        <h2>The week</h2>
        <template v-if="fresh">
          <div class="field">
            <label for="c-name">Name</label
            ><input id="c-name" v-model="form.name" class="in" data-testid="c-name" placeholder="harbour-office" />
          </div>
          <div class="field">
            <label for="c-vendor">Belongs to</label
            ><select id="c-vendor" v-model="form.vendor" class="in">
              <option value="">The desk</option>
              <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
            </select>
          </div>
        </template>
        <fieldset :disabled="!editing">
          <div class="field">
            <label for="c-zone">Zone</label><input id="c-zone" v-model="form.zone" class="in" data-testid="c-zone" />
          </div>
          <div class="field">
            <span class="label">Round the clock</span
            ><label class="row"><input v-model="form.always" type="checkbox" data-testid="c-always" /> always</label>
          </div>
          <template v-if="!form.always">
            <div v-for="d in days" :key="d" class="field day">
              <label :for="'c-' + d">{{ weekdays[d] }}</label><input
                :id="'c-' + d"
                v-model="form.week[d]"
                class="in tn"
                :data-testid="'c-' + d"
                placeholder="closed"
              />
            </div>
            <p class="sub small">
              Write windows like 08:00-12:00, 13:00-16:30. A window that ends before it starts continues into the next
              day.
            </p>
            <div class="field">
              <label for="c-closed">Closed on</label
              ><textarea
                id="c-closed"
                v-model="form.closed"
                class="in tn"
                rows="3"
                placeholder="2026-12-25, one date per line"
              />
            </div>
            <div class="field">
              <label for="c-extra">Other hours on</label
              ><textarea
                id="c-extra"
                v-model="form.extra"
                class="in tn"
                rows="2"
                placeholder="2026-12-24 08:00-12:00"
              />
            </div>
          </template>
          <div v-if="!fresh && editing" class="field">
            <label for="c-from">From</label>
            <div>
              <input id="c-from" v-model="form.from" type="date" class="in" />
              <p class="sub small">
                Tomorrow at the earliest; tomorrow if left empty. Time that has been counted does not change.
              </p>
            </div>
          </div>
        </fieldset>
        <div v-if="editing" class="row above">
          <NButton type="primary" data-testid="save" :loading="busy" :disabled="!!wrong" @click="keep">{{
            fresh ? 'Add calendar' : 'Save new version'
          }}</NButton><NButton @click="fresh ? router.push('/register/calendars') : (editing = false)">Cancel</NButton>
        </div>
      </section>
      <section>
        <h2>Preview</h2>
        <div class="field">
          <label for="c-target">Target</label
          ><input id="c-target" v-model="target" class="in short" data-testid="c-target" />
        </div>
        <p v-if="wrong" class="wrong" role="alert" data-testid="c-wrong">{{ wrong }}</p>
        <template v-else-if="preview">
          <p data-testid="c-words">
            <b>{{ inWords }}</b>
          </p>
          <p v-if="preview.warning" class="warn">{{ preview.warning }}</p>
          <p class="sub">
            {{ preview.open ? 'Open' : 'Closed' }} now<template v-if="preview.until"
              >, until {{ when(preview.until, preview.zone) }}</template
            >
          </p>
          <HoursDrawing :preview="preview" />
        </template>
        <template v-if="calendar && calendar.versions.length > 1">
          <h2 class="far">Versions</h2>
          <p v-for="(v, i) in calendar.versions" :key="v.counts_from" class="small">
            {{ i === 0 ? 'from the beginning' : 'from ' + v.counts_from
            }}<span class="sub"
              >, {{ v.definition.always ? 'round the clock' : weekWords(v.definition.week).join(', ') }}</span
            >
          </p>
        </template>
      </section>
    </div>
  </template>
</template>

<style scoped>
.short {
  max-width: 120px;
}
.head {
  flex-wrap: wrap;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 460px) minmax(0, 1fr);
  gap: 28px;
  margin-top: 14px;
}
.part {
  padding: 12px 16px 16px;
}
fieldset {
  border: 0;
  margin: 0;
  padding: 0;
  min-width: 0;
}
.field {
  grid-template-columns: 120px minmax(0, 1fr);
}
.day {
  margin-top: 6px;
}
.wrong {
  color: var(--late);
  margin-top: 8px;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
}
</style>
