<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { client, newKey, ok, Problem, words } from '../shared/api'
import { attrs } from '../shared/attrs'
import { forInput, fromInput, short, useClock } from '../shared/time'
import { choicesOf, target } from '../shared/words'
import ConfirmTick from './ConfirmTick.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import { useDraftHere } from './draft'

const d = useDraftHere()
const now = useClock()

// The grade follows the facts at once, before there is a draft.
const grade = ref<Awaited<ReturnType<typeof askGrade>>>()
const gradeProblem = ref('')
const askGrade = () =>
  ok(
    client.POST('/grade', {
      params: { header: { 'Idempotency-Key': newKey() } },
      body: {
        facts: d.form.facts,
        kind: d.form.kind as 'fault',
        vendor: d.form.vendor ?? undefined,
        severity: d.form.severity ?? undefined,
      },
    }),
  )
const choices = [
  {
    key: 'effect',
    label: 'The service is',
    of: 'Facts.effect',
  },
  { key: 'reach', label: 'Who is affected', of: 'Facts.reach' },
  { key: 'workaround', label: 'Workaround', of: 'Facts.workaround' },
  { key: 'environment', label: 'Where', of: 'Facts.environment' },
] as const

// Some kinds need no facts: the desk has graded the draft without them.
const gradedWithout = () =>
  !!d.draft?.severity_supported &&
  d.draft.line.kind === d.form.kind &&
  !choices.some((c) => c.key !== 'environment' && d.form.facts[c.key])
watch(
  [() => ({ ...d.form.facts }), () => d.form.vendor, () => d.form.kind, () => d.form.severity, gradedWithout],
  useDebounceFn(async () => {
    if ((!d.form.facts.environment || !d.form.facts.effect) && !gradedWithout()) return (grade.value = undefined)
    try {
      grade.value = await askGrade()
      gradeProblem.value = ''
    } catch (e) {
      grade.value = undefined
      const faults = e instanceof Problem ? e.doc.errors : undefined
      gradeProblem.value = faults?.map((f) => f.field.replace('facts.', '') + ' ' + f.detail).join('; ') ?? words(e)
    }
  }, 150),
  { immediate: true },
)

const answered = computed(() => choices.filter((c) => d.form.facts[c.key]).length + 1)
const answer = (key: string, to: string) => ((d.form.facts as Record<string, unknown>)[key] = to)
/** What a fault that burns answers, in one press; each answer can be changed. */
const markDown = () =>
  Object.assign(d.form.facts, { environment: 'production', effect: 'stopped', reach: 'many', workaround: 'none' })
const criteria = computed(() => d.draft?.level_held?.criteria ?? [])
const firsts = computed(() => grade.value?.targets?.filter((p) => p.deadline === 'first-response' && p.due) ?? [])
const update = computed(() => grade.value?.targets?.find((p) => p.deadline === 'update'))
// The business's own time; empty clears it.
const neededBy = (e: Event) => {
  const at = (e.target as HTMLInputElement).value
  d.form.facts.needed_by = at ? fromInput(at) : (null as unknown as undefined)
}
const past = computed(() => !!d.form.facts.needed_by && new Date(d.form.facts.needed_by) < now.value)
const severities = choicesOf('Severity').map((s) => ({ label: `${s.value} ${s.label}`, value: Number(s.value) }))
</script>

<template>
  <section class="panel part" aria-labelledby="p2">
    <h2 id="p2">
      <span class="mono n">2</span> Severity
      <button
        v-if="answered === 1"
        class="linkish down"
        type="button"
        title="Production, stopped, many users, no workaround"
        data-testid="mark-down"
        @click="markDown"
      >
        Mark as down</button
      ><span class="sub small">{{ answered }} of 5 answered</span>
    </h2>
    <div v-for="c in choices" :key="c.key" class="field">
      <span :id="`l-${c.key}`" class="label">{{ c.label }}</span>
      <div class="segments" role="radiogroup" :aria-labelledby="`l-${c.key}`">
        <label v-for="o in choicesOf(c.of)" :key="o.value" :data-testid="`${c.key}-${o.value}`">
          <input
            type="radio"
            :name="c.key"
            :value="o.value"
            :checked="d.form.facts[c.key] === o.value"
            @change="answer(c.key, o.value)"
          />{{ o.label }}
        </label>
      </div>
    </div>
    <div class="field">
      <span id="l-exposure" class="label">Is data being lost or exposed right now?</span>
      <div class="segments" role="radiogroup" aria-labelledby="l-exposure">
        <label v-for="v in [false, true]" :key="String(v)">
          <input
            type="radio"
            name="exposure"
            :checked="!!d.form.facts.exposure === v"
            @change="d.form.facts.exposure = v"
          />{{ v ? 'Yes' : 'No' }}
        </label>
      </div>
    </div>
    <div class="field">
      <label for="needed-by">Needed by</label>
      <div>
        <input
          id="needed-by"
          class="in needed"
          type="datetime-local"
          :value="d.form.facts.needed_by ? forInput(d.form.facts.needed_by) : ''"
          data-testid="needed-by"
          @change="neededBy"
        />
        <p v-if="past" class="warn small" data-testid="needed-in-past">This time has passed: give a later one.</p>
      </div>
    </div>
    <div class="grade" aria-live="polite">
      <template v-if="grade">
        <SeverityPlate large :severity="grade.severity" :word="grade.word" />
        <div data-testid="grade">
          <p>
            <b>Severity {{ grade.severity }}, {{ grade.word }}</b>
            <span class="sub"> because {{ grade.reasons.join('; ') }}</span>
          </p>
          <p v-if="grade.level">
            Vendor level: <b>“{{ grade.level.label }}”</b
            ><template v-for="(p, i) in firsts" :key="i"
              >{{ i ? ', or' : ' · first response' }} within {{ target(p.target) }}: by
              <b>{{ short(p.due!, now) }}</b><span v-if="firsts.length > 1 && p.contract" class="sub">
                under {{ p.contract }}</span
              ></template
            ><template v-if="!firsts.length"> · no target for the first response</template
            ><template v-if="update">, an update every {{ target(update.target) }}</template>
          </p>
          <p v-if="grade.warning" class="warn">{{ grade.warning }}</p>
          <template v-if="d.draft">
            <p v-for="c in criteria" :key="c.id" class="criterion">
              <ConfirmTick :done="!!c.confirmed_by" />{{ c.text }}
              <span v-if="c.confirmed_by" class="sub">· confirmed by {{ c.confirmed_by }}</span>
              <button
                v-else
                class="linkish"
                type="button"
                :data-testid="`confirm-${c.id}`"
                @click="d.step({ step: 'confirm', criterion: c.id })"
              >
                Confirm
              </button>
            </p>
          </template>
          <div class="row other">
            <span id="l-other" class="sub">Override severity</span>
            <NSelect
              v-model:value="d.form.severity"
              class="another"
              clearable
              size="small"
              :options="severities"
              placeholder="From the facts"
              :input-props="attrs({ 'aria-labelledby': 'l-other' })"
            />
            <NInput
              v-if="d.form.severity && d.form.severity !== grade.supported"
              v-model:value="d.form.severity_reason"
              size="small"
              placeholder="Reason"
              :input-props="attrs({ 'aria-label': 'Reason for overriding' })"
            />
          </div>
        </div>
      </template>
      <p v-else class="sub">{{ gradeProblem || 'The severity follows from these answers, with its reasons.' }}</p>
    </div>
  </section>
</template>

<style scoped>
h2 .small {
  float: right;
  font-weight: 400;
}
.grade {
  display: flex;
  gap: 16px;
  margin-top: 16px;
  padding-top: 12px;
  border-top: 1px solid var(--line2);
  min-height: 58px;
}
.criterion {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-top: 4px;
}
.other {
  margin-top: 8px;
}
.another {
  width: 160px;
}
.down {
  margin-left: 10px;
  font-size: 14px;
  font-weight: 400;
}
.needed {
  max-width: 240px;
}
</style>
