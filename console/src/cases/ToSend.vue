<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, newKey, ok, words, type Case, type Delivery } from '../shared/api'
import { fromInput } from '../shared/time'
import CopyParts from './CopyParts.vue'
import { byChannel, label, whatItIs } from '../shared/words'
import { useCopy } from '../shared/copy'
import { refresh } from '../shared/queries'
import { bytes } from '../files/bytes'
import { contentAt } from '../files/queries'
import SecretReveal from '../secrets/SecretReveal.vue'

// What a person sends to the vendor: the text, where to, and the reference to bring back.
const props = defineProps<{ view: Case; delivery: Delivery; may: boolean }>()
const queries = useQueryClient()
const reference = ref('')
const at = ref('')
/** What the vendor said when it refused to reopen the case. */
const said = ref('')
const problem = ref('')
const { copied, refused, copy } = useCopy()
const busy = ref(false)
/** The secrets that the words stand for; a person reads them out or types them in. */
const secrets = computed(() => [
  ...new Set([...(props.delivery.text ?? '').matchAll(/\{secret ([a-z][a-z0-9-]*)\}/g)].map((m) => m[1]!)),
])
const what = label(...whatItIs(props.delivery))
/** The step that has to be sent before this one. */
const before = computed(() =>
  props.delivery.step ? props.view.on_the_way.find((d) => d.step && d.id < props.delivery.id) : undefined,
)
/** Where an address leads by itself; an email is begun with its text. */
function leads(address: string): string | undefined {
  if (/^https?:\/\//.test(address)) return address
  if (props.delivery.channel === 'email' && address.includes('@')) {
    const [subject, ...rest] = (props.delivery.text ?? '').split('\n')
    const body = encodeURIComponent(rest.join('\n').trim())
    return `mailto:${encodeURIComponent(address)}?subject=${encodeURIComponent(subject ?? '')}&body=${body}`
  }
  return undefined
}
async function decide(decision: 'arrived' | 'dont-send' | 'refused') {
  busy.value = true
  problem.value = ''
  try {
    await ok(
      client.POST('/cases/{case}/deliveries/{delivery}/decision', {
        params: {
          path: { case: props.view.line.number, delivery: props.delivery.id },
          header: { 'Idempotency-Key': newKey() },
        },
        body: {
          decision,
          reference: reference.value.trim() || undefined,
          reason: decision === 'refused' ? said.value.trim() : undefined,
          at: at.value ? fromInput(at.value) : undefined,
        },
      }),
    )
    refresh(queries, props.view.line.number)
  } catch (e) {
    problem.value = words(e)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <section class="panel to-send" :aria-label="'To be sent by you to ' + view.line.vendor" data-testid="to-send">
    <p>
      <b>{{ what }}: to be sent by you to {{ view.line.vendor }}, {{ byChannel(delivery.channel) }}.</b> No deadline of
      the vendor runs until you mark it as sent.
    </p>
    <ul v-if="delivery.ways?.length">
      <li v-for="w in delivery.ways" :key="w.address">
        <a v-if="leads(w.address)" :href="leads(w.address)" target="_blank" rel="noreferrer">{{ w.address }}</a><span
          v-else
          class="mono"
          >{{ w.address }}</span
        >
        <span class="sub"
          ><template v-if="w.urgent"> · urgent only</template><template v-if="w.area"> · {{ w.area }}</template
          ><template v-if="w.calendar"> · {{ w.calendar }}</template></span
        >
      </li>
    </ul>
    <CopyParts v-if="delivery.channel === 'portal'" :text="delivery.text ?? ''" />
    <pre v-else tabindex="0" :aria-label="delivery.channel === 'phone' ? 'The text to read out' : 'The text to send'">{{
      delivery.text
    }}</pre>
    <template v-if="delivery.files?.length">
      <p>{{ delivery.files.length === 1 ? 'Add this file to it:' : 'Add these files to it, in this order:' }}</p>
      <ol data-testid="files-to-send">
        <li v-for="f in delivery.files" :key="f.number">
          <a v-if="f.name" :href="contentAt(view.line.number, f.number)" download>{{ f.name }}</a><span v-else
            >a sensitive file that you do not see</span
          >
          <span class="sub">
            {{ ` ${bytes(f.bytes)}` }}<template v-if="f.caption"> · {{ f.caption }}</template></span
          >
        </li>
      </ol>
    </template>
    <p v-for="s in secrets" :key="s" class="row secret">
      Replace <code>{secret {{ s }}}</code> with <SecretReveal v-if="may" :name="s" :for="view.line.number" /><template
        v-else
        >its value</template
      >
    </p>
    <div v-if="may" class="row acts">
      <NButton data-testid="copy-text" @click="copy(delivery.text ?? '')">{{
        copied ? 'Copied' : 'Copy the text'
      }}</NButton>
      <span v-if="before" class="sub" data-testid="comes-after"
        >Comes after entry {{ before.entry }}: send that first.</span
      >
      <template v-else>
        <label v-if="!view.line.reference"
          >Vendor reference <input v-model="reference" class="in mono" data-testid="vendor-reference"
        /></label>
        <label
          >Sent at
          <input
            v-model="at"
            class="in"
            type="datetime-local"
            aria-describedby="sent-now"
            data-testid="sent-at" /></label
        ><span id="sent-now" class="sub small">now if left empty</span>
        <NButton type="primary" :loading="busy" data-testid="mark-sent" @click="decide('arrived')"
          >Mark as sent</NButton
        >
      </template>
      <template v-if="['reopen', 'dispute'].includes(delivery.step ?? '')">
        <label>What they said <input v-model="said" class="in" maxlength="1000" data-testid="refusal" /></label>
        <NButton :disabled="!said.trim()" data-testid="refused" @click="decide('refused')">{{
          label('Decision.decision', 'refused')
        }}</NButton>
      </template>
      <NButton @click="decide('dont-send')">{{ label('Decision.decision', 'dont-send') }}</NButton>
    </div>
    <p v-if="refused" class="problem" role="alert">
      The browser does not allow copying: select the text and copy it yourself.
    </p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </section>
</template>

<style scoped>
.to-send {
  padding: 12px 16px 14px;
  margin-top: 12px;
  border-left: 3px solid var(--primary);
}
ul,
ol {
  margin: 6px 0;
  padding-left: 18px;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font: inherit;
  border: 1px solid var(--line2);
  border-radius: 4px;
  padding: 8px 12px;
  max-height: 260px;
  overflow: auto;
  margin: 8px 0 10px;
}
.secret {
  flex-wrap: wrap;
  margin-bottom: 12px;
}
.acts {
  flex-wrap: wrap;
  gap: 8px 12px;
}
label {
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
label .in {
  width: 150px;
}
label .in[type='datetime-local'] {
  width: 190px;
}
.problem {
  margin-top: 8px;
}
</style>
