<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useStorage } from '@vueuse/core'
import { NButton, NInput } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import { client, newKey, ok, Problem, unclear, words, type Case } from '../shared/api'
import { forInput, fromInput } from '../shared/time'
import { often } from '../shared/words'
import { draftChase } from '../escalation/queries'
import { refresh } from '../shared/queries'
import { isLive } from './queries'
import EncloseFiles from '../files/EncloseFiles.vue'
import { useEnclosing } from '../files/enclosing'
import LeavingCheck from '../files/LeavingCheck.vue'
import DatesAlong from './DatesAlong.vue'
import { useAlong } from './along'
import SecretNames from '../secrets/SecretNames.vue'
import { attrs } from '../shared/attrs'
import { pickedRoute, routeKey, routeWords } from '../shared/routes'

const props = defineProps<{ view: Case; lastEntry: number; begin?: 'message' | 'chase' }>()
const queries = useQueryClient()
const name = computed(() => props.view.line.number)
const live = computed(() => isLive(props.view.line.state))
type Door = 'note' | 'call' | 'message'
const door = ref<Door>()
// Each door keeps its own draft; nothing typed is lost.
const drafts = {
  note: useStorage(`roundhouse.note.${name.value}`, ''),
  call: useStorage(`roundhouse.call.${name.value}`, ''),
  message: useStorage(`roundhouse.message.${name.value}`, ''),
}
const text = computed({
  get: () => (door.value ? drafts[door.value].value : ''),
  set: (v) => door.value && (drafts[door.value].value = v),
})
const withWhom = ref('')
const heardBy = ref<'phone' | 'chat' | 'email' | 'portal'>('phone')
const status = ref('')
const untold = ref(true)
const completes = computed(() => door.value === 'message' && untold.value && !!props.view.untold?.length)
const heardAt = ref('')
const routes = computed(() => props.view.routes ?? [])
const picked = ref<string>()
const via = computed(() => pickedRoute(routes.value, picked.value))
const usual = computed(() => (routes.value[0] ? ', ' + routeWords(routes.value[0], routes.value) : ''))
const move = ref<'' | 'ours' | 'theirs'>('')
const problem = ref('')
const busy = ref(false)
const seen = ref(0)
/** The vendor has written since; the writer has been told so, and at which entry. */
const again = ref(false)
const refusedAt = ref(0)
/** The message asks the vendor for what it owes. */
const chases = ref(false)
const disclose = ref('')
const stopped = ref(false)
const files = useEnclosing()
const dates = useAlong()
let key = newKey()
let tried = '' // the key under which something was sent: trying again says the same as before

async function openDoor(d: Door) {
  door.value = d
  problem.value = ''
  move.value = ''
  picked.value = undefined
  status.value = heardAt.value = ''
  seen.value = props.lastEntry
  again.value = chases.value = false
  refusedAt.value = 0
  disclose.value = ''
  files.clear()
  dates.clear()
  key = newKey()
  await nextTick()
  document.getElementById('writing')?.focus()
}
async function begun(b: 'message' | 'chase') {
  await openDoor('message')
  if (b === 'chase') await draft()
}
watch(
  () => props.begin,
  (b) => b && live.value && void begun(b),
  { immediate: true },
)
/** Drafts what asks for it, unless something was typed before. */
async function draft() {
  chases.value = true
  try {
    const d = await draftChase(name.value)
    if (tried === key) return
    if (!text.value.trim()) text.value = d.text
    if (d.by && !dates.along.rows.length) dates.along.rows.push({ what: 'we-ask', text: d.ask, due: forInput(d.by) })
  } catch (e) {
    problem.value = words(e)
  }
}

async function send() {
  if (!door.value) return
  busy.value = true
  problem.value = ''
  const path = { case: name.value }
  const header = { 'Idempotency-Key': key }
  tried = key
  try {
    if (door.value === 'note')
      await ok(client.POST('/cases/{case}/notes', { params: { path, header }, body: { text: text.value } }))
    else if (door.value === 'call')
      await ok(
        client.POST('/cases/{case}/calls', {
          params: { path, header },
          body: {
            text: text.value,
            with: withWhom.value,
            at: heardAt.value ? fromInput(heardAt.value) : undefined,
            move: move.value || undefined,
            by: heardBy.value,
            status: status.value.trim() || undefined,
            ...dates.body.value,
          },
        }),
      )
    else
      await ok(
        client.POST('/cases/{case}/messages', {
          params: { path, header },
          body: {
            text: text.value,
            untold: completes.value || undefined,
            chases: chases.value || undefined,
            seen: again.value ? Math.max(seen.value, props.lastEntry, refusedAt.value) : seen.value,
            move: move.value || undefined,
            disclose_reason: disclose.value.trim() || undefined,
            ...files.body,
            ...dates.body.value,
            ...(picked.value && { channel: via.value?.channel, link: via.value?.link }),
          },
        }),
      )
    drafts[door.value].value = ''
    door.value = undefined
    refresh(queries, name.value)
  } catch (e) {
    problem.value = files.asks(e) ? '' : words(e)
    if (!unclear(e)) key = newKey() // else the same key finds out whether it was done
    if (e instanceof Problem && e.kind === 'newer-message') {
      refresh(queries, name.value)
      again.value = true // the next press of the button is the writer's word that it was read
      refusedAt.value = e.entry ?? refusedAt.value
      problem.value = 'The vendor has written since you started; its message is above. Read it, then send again.'
    }
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <div v-if="!door" class="doors">
    <button class="door note" type="button" data-testid="door-note" @click="openDoor('note')">
      Write a note (internal, never sent)
    </button>
    <button class="door call" type="button" data-testid="door-call" @click="openDoor('call')">
      Record a call or chat
    </button>
    <NButton v-if="live" type="primary" size="large" data-testid="door-message" @click="openDoor('message')"
      >Write to {{ view.vendor_contact ?? view.line.vendor }}{{ usual }}
      <span aria-hidden="true">&nbsp;→</span></NButton
    >
  </div>
  <form v-else class="sheet" :class="door" @submit.prevent="send">
    <p v-if="door === 'note'" class="sub">
      A note is <b>internal and never sent</b>: no vendor, requester or partner sees it. Write @ and a colleague's name
      to tell them.
    </p>
    <template v-else-if="door === 'message'">
      <p>
        To <b>{{ view.vendor_contact ? view.vendor_contact + ', ' : '' }}{{ view.line.vendor }}</b
        >{{ ' ' }}
        <select v-if="routes.length > 1" v-model="picked" class="in via" aria-label="Channel" data-testid="via">
          <option v-for="(r, i) in routes" :key="routeKey(r)" :value="i ? routeKey(r) : undefined">
            {{ routeWords(r, routes) }}
          </option></select
        ><span v-else-if="via" class="sub">{{ routeWords(via, routes) }}</span
        ><span class="sub">, reference</span>{{ ' ' }}
        <span class="mono">{{ view.line.reference ?? 'no vendor reference yet' }}</span>
      </p>
      <p v-if="chases" class="sub small" data-testid="chasing">
        This asks the vendor for what it owes.
        {{
          view.chases
            ? `It has been chased ${often(view.chases)} since its last reply.`
            : 'This is the first time since its last reply.'
        }}
      </p>
      <p v-if="via && !via.automatic" class="sub">
        You send it yourself: the text is ready to copy. It counts once you mark it as sent.
      </p>
    </template>
    <div v-else class="row heard">
      <label for="heard-by" class="hide">How</label>
      <select id="heard-by" v-model="heardBy" class="in via" data-testid="heard-by">
        <option value="phone">On the phone</option>
        <option value="chat">In a chat</option>
        <option value="email">In an email</option>
        <option value="portal">On the portal</option>
      </select>
      <label for="with">{{ heardBy === 'email' || heardBy === 'portal' ? 'from' : 'with' }}</label>
      <NInput
        class="who"
        v-model:value="withWhom"
        placeholder=""
        :input-props="attrs({ id: 'with', 'data-testid': 'with' })"
      />
      <label for="heard-at">at</label
      ><input id="heard-at" v-model="heardAt" class="in via" type="datetime-local" title="Now if left empty" />
      <label v-if="live" for="status">vendor status</label
      ><input v-if="live" id="status" v-model="status" class="in via" maxlength="120" data-testid="status" />
    </div>
    <label class="hide" for="writing">Text</label>
    <NInput
      v-model:value="text"
      type="textarea"
      :autosize="{ minRows: 4, maxRows: 18 }"
      placeholder=""
      :input-props="attrs({ id: 'writing', 'data-testid': 'writing' })"
    />
    <LeavingCheck
      v-model:reason="disclose"
      :text="text"
      :internal="door !== 'message'"
      @mask="(t) => (text = t)"
      @stopped="(s) => (stopped = s)"
    />
    <EncloseFiles v-if="door === 'message'" v-model:reason="disclose" :name="name" :via="via" :chosen="files" />
    <label v-if="door === 'message' && view.untold?.length" class="row"
      ><input v-model="untold" type="checkbox" data-testid="add-untold" /> Add what the vendor has not been told:
      {{ view.untold.map((u) => u.label).join(', ') }}</label
    >
    <SecretNames
      v-if="door === 'message'"
      :vendor="view.line.vendor"
      :by-link="via?.automatic ?? false"
      @put="(p) => (text = (text + ' ' + p).trimStart())"
    />
    <DatesAlong v-if="door !== 'note' && live" :view="view" v-model="dates.along" :call="door === 'call'" />
    <fieldset v-if="door !== 'note'" class="segments small">
      <legend class="hide">Afterwards waiting on</legend>
      <label><input v-model="move" type="radio" value="" name="move" />As usual</label>
      <label><input v-model="move" type="radio" value="theirs" name="move" />Then waiting on vendor</label>
      <label><input v-model="move" type="radio" value="ours" name="move" />Then waiting on us</label>
    </fieldset>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div class="row">
      <NButton
        type="primary"
        attr-type="submit"
        :loading="busy"
        :disabled="
          (!text.trim() && !completes && !files.files.length) ||
          (door === 'call' && !withWhom.trim()) ||
          stopped ||
          dates.incomplete.value ||
          (door === 'message' && files.stopped)
        "
        data-testid="send"
        >{{
          door === 'note'
            ? 'Save note'
            : door === 'call'
              ? 'Save call'
              : via?.automatic
                ? 'Send message'
                : 'Prepare for sending'
        }}</NButton
      >
      <NButton data-testid="leave-door" @click="door = undefined">Cancel</NButton>
      <span class="sub small">Your text is kept in this browser.</span>
    </div>
  </form>
</template>

<style scoped>
.who {
  max-width: 300px;
}
.doors {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  margin: 8px 0 0 98px;
  max-width: 812px;
  flex-wrap: wrap;
}
.door {
  font: inherit;
  font-weight: 600;
  height: 38px;
  padding: 0 12px;
  border-radius: 4px;
  cursor: pointer;
  color: var(--ink);
  background: transparent;
}
.via {
  width: auto;
  max-width: 190px;
  height: 32px;
}
.heard {
  flex-wrap: wrap;
}
.door.note {
  border: 1px dashed var(--ink2);
}
.door.call {
  border: 1px solid var(--line);
  background: var(--panel);
}
.sheet {
  margin: 8px 0 0 98px;
  max-width: 752px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  padding: 12px 14px;
  border: 1px solid var(--line);
  border-radius: 6px;
  background: var(--panel);
}
.sheet.note {
  border: 1px dashed var(--ink2);
  background: transparent;
  max-width: 622px;
}
.sheet.message {
  margin-left: 158px;
  border-color: var(--primary);
}
@media (max-width: 640px) {
  .doors,
  .sheet,
  .sheet.message {
    margin-left: 0;
  }
}
</style>
