<script setup lang="ts">
import { NButton } from 'naive-ui'
import { nextTick, reactive, ref } from 'vue'
import { client, ok, type Case, type Schemas } from '../shared/api'
import { fromInput } from '../shared/time'
import { choicesOf, label } from '../shared/words'
import TimeText from '../shared/TimeText.vue'
import { useActs } from './acts'

// The consents that were given on a case; one can be added, or withdrawn.
const props = defineProps<{ view: Case; may: boolean }>()
const { busy, problem, begin, act: tried, header } = useActs(() => props.view.line.number)
const blank = () => ({ kind: 'remote-session', for: '', by: '', until: '' })
const open = ref(false)
const form = reactive(blank())
const withdrawing = ref(0)
const reason = ref('')
const warning = ref('')

async function show() {
  warning.value = ''
  begin()
  open.value = true
  await nextTick()
  document.getElementById('consent-kind')?.focus()
}
async function act(fn: () => Promise<Schemas['Entry']>) {
  const done = await tried(async () => {
    warning.value = (await fn()).warning ?? ''
  })
  if (done) {
    open.value = false
    withdrawing.value = 0
    reason.value = ''
    Object.assign(form, blank())
  }
}
const give = () =>
  act(() =>
    ok(
      client.POST('/cases/{case}/consents', {
        params: { path: { case: props.view.line.number }, header: header() },
        body: {
          kind: form.kind as Schemas['ConsentKind'],
          for: form.for.trim() || undefined,
          by: form.by.trim() || undefined,
          until: form.until ? fromInput(form.until) : undefined,
        },
      }),
    ),
  )
const withdraw = () =>
  act(() =>
    ok(
      client.POST('/cases/{case}/consents/{consent}/withdrawal', {
        params: {
          path: { case: props.view.line.number, consent: withdrawing.value },
          header: header(),
        },
        body: { reason: reason.value.trim() || undefined },
      }),
    ),
  )
</script>

<template>
  <div class="consents">
    <p v-for="c in view.consents" :key="c.number" :class="{ gone: !c.holds }" data-testid="consent">
      <b>{{ label('ConsentKind', c.kind) }}</b><template v-if="c.for">, for {{ c.for }}</template>
      <span class="sub">
        · given by {{ c.by }} <TimeText :at="c.given" />
        <template v-if="c.withdrawn"> · withdrawn by {{ c.withdrawn_by }} <TimeText :at="c.withdrawn" /></template>
        <template v-else-if="c.until"> · {{ c.holds ? 'until' : 'ended' }} <TimeText :at="c.until" /></template> </span
      >{{ ' ' }}
      <button
        v-if="may && c.holds && withdrawing !== c.number"
        class="linkish small"
        type="button"
        :aria-label="'Withdraw consent ' + c.number"
        :data-testid="'withdraw-' + c.number"
        @click="((withdrawing = c.number), begin())"
      >
        Withdraw
      </button>
    </p>
    <p v-if="warning" class="warn small" data-testid="consent-warning">{{ warning }}</p>
    <form v-if="withdrawing" class="lines" data-testid="withdrawal" @submit.prevent="withdraw">
      <input
        v-model="reason"
        class="in"
        aria-label="Reason"
        placeholder="Reason, optional"
        data-testid="why-withdrawn"
      />
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="do-withdraw"
          >Withdraw consent</NButton
        ><NButton size="small" @click="withdrawing = 0">Cancel</NButton>
      </div>
    </form>
    <form v-else-if="open" class="lines" data-testid="consent-form" @submit.prevent="give">
      <label for="consent-kind" class="hide">What it allows</label
      ><select id="consent-kind" v-model="form.kind" class="in" data-testid="consent-kind">
        <option v-for="o in choicesOf('ConsentKind')" :key="o.value" :value="o.value">{{ o.label }}</option>
      </select>
      <input
        v-model="form.for"
        class="in"
        aria-label="What it is for"
        placeholder="What it is for"
        data-testid="consent-for"
      />
      <input
        v-model="form.by"
        class="in"
        aria-label="Given by"
        placeholder="Given by (you, if empty)"
        data-testid="consent-by"
      />
      <label class="row"
        >Until
        <input v-model="form.until" class="in" type="datetime-local" aria-label="Until" data-testid="consent-until"
      /></label>
      <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
      <div class="row">
        <NButton size="small" type="primary" attr-type="submit" :loading="busy" data-testid="keep-consent"
          >Record consent</NButton
        ><NButton size="small" @click="open = false">Cancel</NButton>
      </div>
    </form>
    <button v-else-if="may" class="linkish small" type="button" data-testid="add-consent" @click="show">
      Record a consent
    </button>
  </div>
</template>

<style scoped>
.row {
  gap: 6px;
}
.gone b {
  font-weight: 400;
  text-decoration: line-through;
}
</style>
