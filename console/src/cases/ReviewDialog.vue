<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { against, pickedRoute, routeKey, routeWords, type Route } from '../shared/routes'
import { short, took, useClock } from '../shared/time'
import { label, target } from '../shared/words'
import EncloseFiles from '../files/EncloseFiles.vue'
import { useEnclosing } from '../files/enclosing'
import LeavingCheck from '../files/LeavingCheck.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { useDraftHere } from './draft'

const props = defineProps<{ routes: Route[] }>()
const picked = defineModel<string>('picked')
const emit = defineEmits<{ leave: [] }>()
const d = useDraftHere()
const router = useRouter()
const filing = ref(false)
const disclose = ref('')
const stopped = ref(false)
const files = useEnclosing()
const all = computed(() => (via.value?.messages ?? [d.draft?.preview ?? '']).join('\n'))
const now = useClock()
const promised = computed(() => d.draft?.promised?.filter((p) => p.channel === via.value?.channel) ?? [])
const there = (due: string) => short(due, now.value, d.draft?.vendor_zone)
const missing = computed(() => d.draft?.needs.filter((n) => n.points) ?? [])
const via = computed(() => pickedRoute(props.routes, picked.value))
const way = computed(() => (via.value ? routeWords(via.value, props.routes) : ''))

async function file() {
  filing.value = true
  const done = await d.step(
    {
      ...files.body,
      step: 'file',
      channel: via.value?.channel,
      link: via.value?.link,
      disclose_reason: disclose.value.trim() || undefined,
    },
    files.asks,
  )
  filing.value = false
  if (!done && files.question) return
  emit('leave')
  if (done) await router.push(`/cases/${done.line.number}`)
}
onMounted(() => setTimeout(() => document.querySelector<HTMLElement>('[data-testid="file"]')?.focus(), 50))
</script>

<template>
  <DialogFrame v-if="d.draft" name="review-dialog" title="Review" size="broad" @leave="emit('leave')">
    <p class="sub">
      This will be sent to {{ d.draft.line.vendor }} {{ way }}, at level “{{ d.draft.level_held?.label }}”{{
        via?.automatic ? '' : '; you send it yourself'
      }}.
    </p>
    <div v-if="routes.length > 1" class="segments by" role="radiogroup" aria-label="Channel">
      <label v-for="r in routes" :key="routeKey(r)" :data-testid="'route-' + routeKey(r)">
        <input type="radio" name="route" :value="routeKey(r)" :checked="via === r" @change="picked = routeKey(r)" />{{
          routeWords(r, routes)
        }}
      </label>
    </div>
    <p v-for="s in against(via, d.draft.line.vendor, now)" :key="s" class="warn">{{ s }}</p>
    <p v-if="via?.messages" class="warn limited" data-testid="limited">
      The channel does not take it as it is:
      {{
        via.messages.length > 1
          ? `it is sent as ${via.messages.length} messages, one after the other`
          : 'it is changed as shown'
      }}<template v-if="via.replaced"
        >;
        {{ via.replaced === 1 ? '1 character it cannot carry is' : `${via.replaced} characters it cannot carry are` }}
        replaced</template
      >.
    </p>
    <p class="what">
      <b>{{ via?.title ?? d.draft.line.title }}</b>
    </p>
    <pre v-for="(text, i) in via?.messages ?? [d.draft.preview]" :key="i" :data-testid="'message-' + i">{{ text }}</pre>
    <LeavingCheck v-model:reason="disclose" class="below" :text="all" fixed @stopped="(s) => (stopped = s)" />
    <EncloseFiles v-model:reason="disclose" class="below" :name="d.draft.line.number" :via="via" :chosen="files" />
    <div class="two">
      <section>
        <h3>Deadlines that this starts</h3>
        <table v-if="promised.length" data-testid="promised">
          <tbody>
            <tr v-for="p in promised" :key="p.deadline">
              <th scope="row">{{ label('DeadlineKind', p.deadline) }}</th>
              <td class="nowrap">{{ target(p.target) }}</td>
              <td class="tn">
                <template v-if="p.due"
                  >by {{ short(p.due, now) }}
                  <span v-if="there(p.due) !== short(p.due, now)" class="sub"
                    >({{ there(p.due) }} vendor time)</span
                  ></template
                >
                <p v-if="p.took_cases" class="sub small" data-testid="took">
                  <template v-if="p.took_cases === 1"
                    >The last case like this was answered within {{ took(p.took_longest_seconds!) }}</template
                  ><template v-else
                    >Half of the last {{ p.took_cases }} cases were answered within {{ took(p.took_half_seconds!) }},
                    the slowest after {{ took(p.took_longest_seconds!) }}</template
                  >
                </p>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-else class="sub">No contract has a target for this level, so no deadline of the vendor starts.</p>
        <p v-if="promised.length" class="sub small">
          {{ via?.automatic ? 'If it arrives now.' : 'If you mark it as sent now.' }}
        </p>
      </section>
      <section>
        <h3>The description is {{ d.draft.complete }}% complete</h3>
        <p v-if="d.draft.files_due?.length" class="sub" data-testid="review-files-due">
          The vendor also wants: {{ d.draft.files_due.join(', ') }}.
        </p>
        <p v-if="missing.length" class="sub" data-testid="review-missing">
          Still missing: {{ missing.map((n) => n.text).join('; ') }}.
        </p>
      </section>
    </div>
    <div class="row">
      <NButton type="primary" :loading="filing" :disabled="stopped || files.stopped" data-testid="file" @click="file">
        {{ via?.automatic ? 'File with ' + d.draft.line.vendor : 'Prepare for sending' }}
      </NButton>
      <NButton @click="emit('leave')">Cancel</NButton>
    </div>
  </DialogFrame>
</template>

<style scoped>
.limited {
  margin-top: 8px;
}
.by {
  margin-top: 8px;
}
.below {
  margin-bottom: 12px;
}
.what {
  margin-top: 12px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px 24px;
  margin-bottom: 16px;
}
.two h3 {
  font-size: 14px;
  margin: 0 0 4px;
}
.two th {
  white-space: nowrap;
  font-weight: 400;
  text-align: left;
}
.two th,
.two td {
  padding: 2px 12px 2px 0;
  vertical-align: top;
}
@media (max-width: 700px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font: inherit;
  max-height: 46vh;
  overflow: auto;
  border: 1px solid var(--line2);
  border-radius: 4px;
  padding: 10px 14px;
  background: var(--paper);
  margin: 6px 0 16px;
}
.nowrap {
  white-space: nowrap;
}
</style>
