<script setup lang="ts">
import { useStorage } from '@vueuse/core'
import { NButton, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, ok, words, type Schemas } from '../shared/api'
import { attrs } from '../shared/attrs'
import { pickedRoute, routeKey, routeWords } from '../shared/routes'
import { fromInput, span } from '../shared/time'
import { label, often, target } from '../shared/words'
import CopyButton from '../shared/CopyButton.vue'
import TimeText from '../shared/TimeText.vue'
import LeavingCheck from '../files/LeavingCheck.vue'
import { useActs } from '../cases/acts'
import { isLive, useCase } from '../cases/queries'
import LadderRungs from './LadderRungs.vue'
import { useLadder } from './queries'

const route = useRoute()
const router = useRouter()
const name = toRef(() => String(route.params.name ?? ''))
const rung = ref<number>()
const { data, error } = useCase(name)
const view = computed(() => data.value?.data)
const ladder = useLadder(name, rung)
const draft = computed(() => ladder.data.value?.draft)
const to = computed(() => ladder.data.value?.rungs.find((r) => r.rung === draft.value?.rung))
const { busy, problem, act, header, steady } = useActs(() => name.value)
const seen = steady(() => view.value?.line.last_entry ?? 0)

// The text is the draft until somebody changes it; what was typed comes back.
const typed = useStorage(`roundhouse.escalation.${name.value}`, {} as Record<number, string>)
const text = computed({
  get: () => (draft.value ? (typed.value[draft.value.rung] ?? draft.value.text) : ''),
  set: (v) => draft.value && (typed.value = { ...typed.value, [draft.value.rung]: v }),
})
const reason = ref('')
// A message by phone or chat is what one tells them oneself.
const routes = computed(() => (view.value?.routes ?? []).filter((r) => !['phone', 'chat'].includes(r.channel)))
const way = ref('told')
const via = computed(() => pickedRoute(routes.value, way.value))
const told = computed(() => way.value === 'told')
const how = ref<'phone' | 'chat' | 'email' | 'portal'>('phone')
const who = ref('')
const at = ref('')
const answer = ref('')
const promised = ref('')
const promisedBy = ref('')
const disclose = ref('')
const stopped = ref(false)
watch(
  () => draft.value?.rung,
  (n) => n && (rung.value ??= n),
)
const missing = computed(
  () =>
    !text.value.trim() ||
    (!draft.value?.because && !reason.value.trim()) ||
    (told.value
      ? !!promised.value.trim() !== !!promisedBy.value || (!!promised.value && !answer.value.trim())
      : stopped.value),
)

async function go() {
  const dates: Schemas['NewDate'][] = promised.value.trim()
    ? [{ kind: 'promise', owed: 'theirs', text: promised.value.trim(), due: fromInput(promisedBy.value) }]
    : []
  const done = await act(() =>
    ok(
      client.POST('/cases/{case}/escalations', {
        params: { path: { case: name.value }, header: header() },
        body: {
          rung: draft.value!.rung,
          text: text.value,
          reason: reason.value.trim() || undefined,
          ...(told.value
            ? {
                told: {
                  by: how.value,
                  who: who.value.trim() || undefined,
                  at: at.value ? fromInput(at.value) : undefined,
                  answer: answer.value.trim() || undefined,
                  dates: dates.length ? dates : undefined,
                },
              }
            : {
                channel: via.value?.channel,
                link: via.value?.link,
                seen: seen(),
                disclose_reason: disclose.value.trim() || undefined,
              }),
        },
      }),
    ),
  )
  if (!done) return
  typed.value = {}
  await router.push(`/cases/${name.value}`)
}
const late = computed(() => view.value?.deadlines.filter((d) => d.side === 'theirs' && d.standing === 'late') ?? [])
const owed = computed(() => view.value?.dates?.filter((d) => d.owed === 'theirs' && d.standing === 'late') ?? [])
const oursOpen = computed(
  () => view.value?.dates?.filter((d) => d.owed === 'ours' && d.kind === 'ask' && !d.ended_at) ?? [],
)
</script>

<template>
  <p v-if="error && !view" class="problem" role="alert">{{ words(error) }}</p>
  <template v-if="view">
    <p class="sub from">
      <RouterLink class="mono" :to="`/cases/${name}`">{{ view.line.number }}</RouterLink> {{ view.line.title }}
    </p>
    <h1>{{ to ? `Escalate to ${to.name ?? to.role}` : 'Escalate' }}</h1>
    <p v-if="ladder.error.value" class="problem" role="alert">{{ words(ladder.error.value) }}</p>
    <p v-if="!isLive(view.line.state)" class="sub">Only a live case can be escalated.</p>
    <div v-if="ladder.data.value" class="cols">
      <div>
        <LadderRungs
          :ladder="ladder.data.value"
          :vendor="view.line.vendor"
          :picked="draft?.rung"
          @pick="(n) => (rung = n)"
        />
        <section class="panel facts" aria-label="Facts">
          <h2>The facts</h2>
          <dl>
            <template v-for="d in late" :key="d.deadline + d.started">
              <dt>{{ label('DeadlineKind', d.deadline) }}</dt>
              <dd>
                promised within {{ target(d.target) }}; {{ span(d.counted_seconds) }} of the vendor's hours
                counted<template v-if="(d.late_seconds ?? 0) >= 60">, late by {{ span(d.late_seconds!) }}</template>
              </dd>
            </template>
            <template v-for="d in owed" :key="d.item">
              <dt>{{ label('DateKind', d.kind) }}</dt>
              <dd>{{ d.text }}, due <TimeText :at="d.due_at" /></dd>
            </template>
            <dt>Last vendor reply</dt>
            <dd>
              <TimeText v-if="view.line.last_vendor_at" :at="view.line.last_vendor_at" /><template v-else
                >none yet</template
              >
            </dd>
            <dt>Chased</dt>
            <dd>{{ often(view.chases) }}</dd>
            <dt>Asked of us, open</dt>
            <dd>{{ oursOpen.length ? oursOpen.map((d) => d.text).join('; ') : 'nothing' }}</dd>
          </dl>
        </section>
      </div>
      <form v-if="draft && to" class="panel letter" @submit.prevent="go">
        <fieldset class="segments small">
          <legend class="hide">How</legend>
          <label
            ><input v-model="way" type="radio" value="told" name="way" data-testid="way-told" />I tell them
            myself</label
          >
          <label v-for="r in routes" :key="routeKey(r)"
            ><input
              v-model="way"
              type="radio"
              :value="routeKey(r)"
              name="way"
              :data-testid="`way-${r.channel}`"
            />Message {{ routeWords(r, routes) }}</label
          >
        </fieldset>
        <p v-if="told" class="sub small">
          {{ to.how }}. Say what is written here, then record the call. Nothing is sent.
        </p>
        <p v-else class="sub small">
          Sent to {{ view.line.vendor }}{{ via?.automatic ? '' : ' by you' }}, under
          {{ view.line.reference ?? 'our own number' }}.
        </p>
        <label class="hide" for="escalation-text">Text</label>
        <NInput
          v-model:value="text"
          type="textarea"
          :autosize="{ minRows: 9, maxRows: 20 }"
          placeholder=""
          :input-props="attrs({ id: 'escalation-text', 'data-testid': 'escalation-text' })"
        />
        <LeavingCheck
          v-model:reason="disclose"
          :text="text"
          @mask="(t) => (text = t)"
          @stopped="(s) => (stopped = s)"
        />
        <div v-if="told" class="grid">
          <label for="told-how">How</label>
          <select id="told-how" v-model="how" class="in">
            <option value="phone">On the phone</option>
            <option value="chat">In a chat</option>
            <option value="email">In an email</option>
            <option value="portal">On the portal</option>
          </select>
          <label for="told-who">Spoke to</label>
          <input id="told-who" v-model="who" class="in" maxlength="200" :placeholder="to.name ?? to.role" />
          <label for="told-at">At</label>
          <input id="told-at" v-model="at" class="in" type="datetime-local" title="Now if left empty" />
          <label for="told-answer">They answered</label>
          <textarea
            id="told-answer"
            v-model="answer"
            class="in"
            rows="2"
            placeholder="Leave empty if the answer is still to come"
            data-testid="told-answer"
          />
          <template v-if="answer.trim()">
            <label for="told-promise">They promised</label>
            <span class="row promise"
              ><input
                id="told-promise"
                v-model="promised"
                class="in"
                maxlength="1000"
                data-testid="told-promise" /><label for="told-promise-by">by</label
              ><input
                id="told-promise-by"
                v-model="promisedBy"
                class="in when"
                type="datetime-local"
                data-testid="told-promise-by"
            /></span>
          </template>
        </div>
        <div class="grid">
          <span class="sub">Answer due</span>
          <span v-if="draft.by"><TimeText :at="draft.by" /> ({{ target(to.reply!) }} of the vendor's hours)</span>
          <span v-else class="sub">no time is agreed with this rung</span>
          <label for="why">Reason</label>
          <span
            ><input
              id="why"
              v-model="reason"
              class="in"
              maxlength="1000"
              :placeholder="draft.because ?? ''"
              data-testid="escalation-reason"
            /><span class="sub small"
              >Internal.{{ draft.because ? '' : ' Required: this rung is not advised now.' }}</span
            ></span
          >
        </div>
        <p v-if="ladder.data.value.may_not" class="warn small" data-testid="may-not">
          {{ ladder.data.value.may_not }}.
        </p>
        <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
        <div class="row">
          <NButton type="primary" attr-type="submit" :loading="busy" :disabled="missing" data-testid="escalate-go">{{
            told ? 'Record the call' : via?.automatic ? 'Send message' : 'Prepare for sending'
          }}</NButton>
          <CopyButton :value="text" what="the text" />
          <NButton class="last" @click="router.push(`/cases/${name}`)">Cancel</NButton>
        </div>
      </form>
    </div>
  </template>
</template>

<style scoped>
.from {
  margin: 0;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 480px);
  gap: 26px;
  align-items: start;
  margin-top: 10px;
}
.facts,
.letter {
  padding: 12px 14px;
}
.facts {
  margin-top: 14px;
}
dl {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 4px 10px;
  margin: 6px 0 0;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.letter {
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.letter p {
  margin: 0;
}
.grid {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 8px 10px;
  align-items: center;
}
.promise {
  flex-wrap: wrap;
}
.promise > .in:first-child {
  flex: 1 1 140px;
}
.when {
  width: auto;
}
.last {
  margin-left: auto;
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: minmax(0, 1fr);
  }
}
@media (max-width: 520px) {
  dl {
    grid-template-columns: 110px minmax(0, 1fr);
  }
}
</style>
