<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, nextTick, onMounted, ref } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'
import { draftChase } from '../escalation/queries'
import { forInput, fromInput } from '../shared/time'
import { label } from '../shared/words'
import { useActs } from '../cases/acts'
import LeavingCheck from '../files/LeavingCheck.vue'

// The step that answers a line of Today, done from there.
const props = defineProps<{ line: Schemas['TodayLine'] }>()
const emit = defineEmits<{ done: [] }>()
const name = computed(() => props.line.case.number)
const { busy, problem, act, header, steady } = useActs(() => name.value)
const text = ref('')
const whom = ref('')
const next = ref('')
const disclose = ref('')
const stopped = ref(false)
// What is answered stays what it was when the answer was begun, whatever happens on the case meanwhile.
const { step, item, item_kind: kind } = props.line
const seen = steady(() => props.line.case.last_entry)
seen()
const message = step === 'chase' || step === 'answer'
/** What is asked for, and what the button says, by step. */
const says: Record<string, [string, string]> = {
  keep: ['What came of it (optional)', label('NextStep', 'keep')],
  look: ['What you saw (optional)', label('NextStep', 'keep')],
  call: ['What was said', 'Save call'],
  receipt: ['How you know that it arrived (optional)', 'It arrived'],
  reference: ['Vendor reference', 'Save reference'],
}
const said = computed(
  () => (message ? [`Message to ${props.line.case.vendor}`, 'Send message'] : says[step]) ?? ['', ''],
)
const missing = computed(() => {
  if (message) return !text.value.trim() || stopped.value
  if (step === 'call') return !text.value.trim() || !whom.value.trim()
  return step === 'reference' && !text.value.trim()
})
onMounted(() => void nextTick(() => document.getElementById('answer')?.focus()))
// A chase is drafted from the record, with when its answer is asked for.
const ask = ref('')
const by = ref('')
const drafting = ref(step === 'chase')
let tried = false
if (step === 'chase')
  draftChase(props.line.case.number)
    .then((d) => {
      if (tried) return // trying again says the same as before
      if (!text.value) text.value = d.text
      ask.value = d.ask
      if (d.by) by.value = forInput(d.by)
    })
    .catch((e) => (problem.value = words(e)))
    .finally(() => (drafting.value = false))

const params = () => ({ path: { case: name.value }, header: header() })
async function go() {
  tried = true
  const t = text.value.trim() || undefined
  const done = await act(() => {
    if (message)
      return ok(
        client.POST('/cases/{case}/messages', {
          params: params(),
          body: {
            text: t,
            seen: seen(),
            chases: step === 'chase' || undefined,
            dates:
              step === 'chase' && by.value
                ? [{ kind: 'ask', owed: 'theirs', text: ask.value || 'An answer', due: fromInput(by.value) }]
                : undefined,
            keeps: step === 'answer' && kind === 'ask' && item ? [item] : undefined,
            disclose_reason: disclose.value.trim() || undefined,
          },
        }),
      )
    if (step === 'call')
      return ok(
        client.POST('/cases/{case}/calls', {
          params: params(),
          body: { text: t!, with: whom.value, keeps: item ? [item] : undefined },
        }),
      )
    if (step === 'reference')
      return ok(
        client.POST('/cases/{case}/references', {
          params: params(),
          body: { whose: 'vendor', role: 'current', value: t! },
        }),
      )
    return ok(
      client.POST('/cases/{case}/dates/{item}/end', {
        params: { path: { case: name.value, item: item! }, header: header() },
        body: {
          how: 'kept',
          text: t,
          then: step === 'look' && next.value ? { kind: 'check-in', due: fromInput(next.value) } : undefined,
        },
      }),
    )
  })
  if (done) emit('done')
}
</script>

<template>
  <form class="answer" data-testid="line-answer" @submit.prevent="go">
    <div v-if="step === 'call'" class="row">
      <label for="answer-with">With</label
      ><input id="answer-with" v-model="whom" class="in with" maxlength="200" data-testid="answer-with" />
    </div>
    <label for="answer" class="sub small">{{ said[0] }}</label>
    <input v-if="step === 'reference'" id="answer" v-model="text" class="in mono" data-testid="answer" />
    <textarea
      v-else
      id="answer"
      v-model="text"
      class="in"
      :rows="step === 'chase' ? 10 : 3"
      :placeholder="drafting ? 'Drafting…' : ''"
      data-testid="answer"
    />
    <LeavingCheck
      v-if="message"
      v-model:reason="disclose"
      :text="text"
      @mask="(t) => (text = t)"
      @stopped="(s) => (stopped = s)"
    />
    <div v-if="step === 'chase'" class="row">
      <label for="answer-by">Answer asked for by</label
      ><input id="answer-by" v-model="by" class="in with" type="datetime-local" data-testid="answer-by" />
      <span class="sub small">You are told if none comes.</span>
    </div>
    <div v-if="step === 'look'" class="row">
      <label for="answer-next">Look again on</label
      ><input id="answer-next" v-model="next" class="in with" type="datetime-local" />
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton
        size="small"
        type="primary"
        attr-type="submit"
        :loading="busy"
        :disabled="missing"
        data-testid="do-answer"
        >{{ said[1] }}</NButton><NButton size="small" @click="emit('done')">Cancel</NButton
      ><RouterLink class="small" :to="`/cases/${name}`">Open {{ name }}</RouterLink>
    </div>
  </form>
</template>

<style scoped>
.answer {
  display: flex;
  flex-direction: column;
  gap: 6px;
  max-width: 720px;
  padding: 8px 14px 12px 48px;
}
.with {
  width: auto;
}
</style>
