<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Case } from '../shared/api'
import { clock, short, useClock } from '../shared/time'
import { inline, label, often, referenceWords } from '../shared/words'
import CopyButton from '../shared/CopyButton.vue'
import TimeText from '../shared/TimeText.vue'
import FilesPart from '../files/FilesPart.vue'
import CompleteDialog from './CompleteDialog.vue'
import ConsentList from './ConsentList.vue'
import DateList from './DateList.vue'
import MakerStatus from './MakerStatus.vue'
import ReferenceForm from './ReferenceForm.vue'
import { isLive } from './queries'

const props = defineProps<{ view: Case; etag: string; may: boolean }>()
const emit = defineEmits<{ bring: [number: string] }>()
const now = useClock()
const reference = ref('')
const completing = ref(false)
const linked = computed(() =>
  (
    [
      ['In place of', props.view.instead_of],
      ['Filed again as', props.view.refiled_as],
    ] as const
  ).filter(([, other]) => other),
)
const live = computed(() => isLive(props.view.line.state))
const mayAdd = computed(() => props.may && (live.value || props.view.line.state === 'draft'))
</script>

<template>
  <aside aria-label="Facts">
    <h2>Facts</h2>
    <dl>
      <dt>Vendor</dt>
      <dd>
        <RouterLink :to="`/vendors/${view.line.vendor_key}`">{{ view.line.vendor }}</RouterLink><br
          v-if="!view.as_of"
        /><span v-if="!view.as_of" class="sub tn"
          >{{ clock(now, view.vendor_zone) }} local time, {{ view.vendor_open ? 'open' : 'closed'
          }}<template v-if="view.vendor_until">
            until {{ short(view.vendor_until, now, view.vendor_zone) }}</template
          ></span
        >
      </dd>
      <template v-for="[what, other] in linked" :key="what"
        ><dt>{{ what }}</dt>
        <dd data-testid="linked">
          <RouterLink :to="`/cases/${other}`">{{ other }}</RouterLink>
        </dd></template
      >
      <template v-if="view.maker"
        ><dt>Maker</dt>
        <dd data-testid="maker">
          <RouterLink :to="`/vendors/${view.maker_key}`">{{ view.maker }}</RouterLink>
          <template v-if="view.maker_status"
            >: “{{ view.maker_status }}” <span class="sub"><TimeText :at="view.maker_status_at" /></span
          ></template>
          <MakerStatus v-if="may && view.line.state !== 'draft'" :view="view" /></dd
      ></template>
      <template v-for="(named, what) in view.unsorted" :key="what"
        ><dt>Unknown {{ what }}</dt>
        <dd>{{ named }}</dd></template
      >
      <template v-for="r in view.references" :key="r.whose + r.value"
        ><dt>{{ referenceWords(r) }}</dt>
        <dd data-testid="reference">
          <a
            v-if="r.page"
            class="mono"
            :href="r.page"
            target="_blank"
            rel="noreferrer"
            title="The vendor's page for it"
            >{{ r.value }}</a><span v-else class="mono">{{ r.value }}</span
          ><CopyButton :value="r.value" :what="inline(referenceWords(r))" /></dd
      ></template>
      <template v-if="may && !view.line.reference && live"
        ><dt><label for="bring">Vendor ref</label></dt>
        <dd>
          <form class="bring" @submit.prevent="emit('bring', reference.trim())">
            <input id="bring" v-model="reference" class="in mono" placeholder="none yet" data-testid="bring" /><NButton
              size="small"
              attr-type="submit"
              :disabled="!reference.trim()"
              >Save</NButton
            >
          </form>
        </dd></template
      >
      <template v-if="may"
        ><dt></dt>
        <dd><ReferenceForm :view="view" /></dd
      ></template>
      <template v-if="view.outage"
        ><dt>Outage</dt>
        <dd data-testid="outage-of">
          <RouterLink to="/register/outages">{{ view.outage.title }}</RouterLink>,
          {{ view.outage.ended_at ? 'ended' : 'since' }}
          <TimeText :at="view.outage.ended_at ?? view.outage.since" /></dd
      ></template>
      <template v-if="view.origin && view.origin !== 'us'"
        ><dt>Opened by</dt>
        <dd data-testid="origin">
          {{ label('Origin', view.origin) }}<template v-if="view.opened_by">, {{ view.opened_by }}</template>
        </dd></template
      >
      <template v-if="view.vendor_status"
        ><dt>Vendor status</dt>
        <dd>
          “{{ view.vendor_status }}” <span class="sub"><TimeText :at="view.vendor_status_at" /></span></dd
      ></template>
      <template v-if="view.level_set_by_vendor"
        ><dt>Level set by vendor</dt>
        <dd>
          “{{ view.level_set_by_vendor }}”<br /><span class="sub small">without our agreement; no clock changes</span>
        </dd></template
      >
      <template v-if="view.vendor_contact"
        ><dt>Vendor contact</dt>
        <dd data-testid="contacts">
          {{ view.vendor_contact
          }}<template v-if="view.contacts?.length"
            ><span class="sub"> since <TimeText :at="view.contacts[0]!.since" /></span
            ><template v-for="c in view.contacts.slice(1)" :key="c.since"
              ><br /><span class="sub small">before: {{ c.name }}, since <TimeText :at="c.since" /></span></template
          ></template></dd
      ></template>
      <template v-if="view.texts.affected"
        ><dt>Affected</dt>
        <dd>{{ view.texts.affected }}</dd></template
      >
      <template v-if="view.asset"
        ><dt>Asset</dt>
        <dd>
          <RouterLink :to="`/register/assets/${view.asset_id}`">{{ view.asset }}</RouterLink>
        </dd></template
      >
      <template v-if="view.asset_serial"
        ><dt>Serial</dt>
        <dd data-testid="serial">
          <span class="mono">{{ view.asset_serial }}</span><CopyButton :value="view.asset_serial" what="serial" /></dd
      ></template>
      <template v-if="view.account"
        ><dt>Account</dt>
        <dd>
          <RouterLink :to="`/register/accounts/${view.account_id}`" class="mono">{{
            view.account
          }}</RouterLink><CopyButton :value="view.account" what="account" /></dd
      ></template>
      <template v-if="view.contract"
        ><dt>Contract</dt>
        <dd>
          <RouterLink class="mono" :to="`/register/contracts/${view.contract_id}`">{{
            view.contract
          }}</RouterLink><CopyButton :value="view.contract" what="contract" />{{ ' ' }}
          <span class="sub until">until {{ view.contract_until }}</span>
        </dd></template
      >
      <dt>Owner</dt>
      <dd data-testid="owner">{{ view.line.owner ?? 'nobody' }}</dd>
      <template v-if="view.go_on_reason"
        ><dt>Reason to go on</dt>
        <dd>{{ view.go_on_reason }}</dd></template
      >
      <template v-if="view.reopen_until && view.line.state !== 'withdrawn'"
        ><dt>Can be reopened</dt>
        <dd data-testid="reopen-until">
          {{ view.reopen_past ? 'no longer: the limit was' : 'until' }} <TimeText :at="view.reopen_until" /></dd
      ></template>
      <template v-if="view.reopenings || view.reopen_refused"
        ><dt>Reopened</dt>
        <dd>
          {{ often(view.reopenings) }}{{ view.reopen_refused ? `, refused ${often(view.reopen_refused)}` : '' }}
        </dd></template
      >
      <template v-if="view.outcome"
        ><dt>Outcome</dt>
        <dd>{{ view.outcome }}</dd></template
      >
      <template v-if="view.cause"
        ><dt>Cause</dt>
        <dd>{{ view.cause }}</dd></template
      >
    </dl>
    <DateList :view="view" :may="may" :live="live" />
    <template v-if="live && view.complete !== undefined"
      ><h2>Description</h2>
      <p>
        {{ view.complete }}% complete
        <button
          v-if="mayAdd"
          class="linkish"
          type="button"
          data-testid="complete"
          aria-haspopup="dialog"
          @click="completing = true"
        >
          {{ view.complete < 100 ? 'Complete it' : 'Correct it' }}
        </button>
      </p>
      <CompleteDialog v-if="completing" :view="view" :etag="etag" @leave="completing = false"
    /></template>
    <template v-if="view.consents?.length || mayAdd"
      ><h2>Consents</h2>
      <ConsentList :view="view" :may="mayAdd"
    /></template>
    <FilesPart v-if="!view.as_of" :key="view.line.number" :name="view.line.number" :may="may" />
    <template v-if="view.severity_reasons"
      ><h2>Severity because</h2>
      <p class="reasons">{{ view.severity_reasons.join('; ') }}.</p>
      <p v-if="view.severity_chosen_because" class="sub">Overridden: {{ view.severity_chosen_because }}</p>
      <p v-if="view.warning" class="sub small">{{ view.warning }}</p></template
    >
    <template v-if="view.level_held?.criteria.length"
      ><h2>Confirmed</h2>
      <p v-for="c in view.level_held.criteria" :key="c.id">
        {{ c.text }} <span class="sub">{{ c.confirmed_by ? `by ${c.confirmed_by}` : 'not yet' }}</span>
      </p></template
    >
  </aside>
</template>

<style scoped>
.until {
  white-space: nowrap;
}
aside :deep(h2) {
  border-bottom: 1px solid var(--line2);
  padding-bottom: 5px;
  margin: 16px 0 8px;
}
aside > h2:first-child {
  margin-top: 0;
}
dl {
  display: grid;
  grid-template-columns: 104px minmax(0, 1fr);
  gap: 5px 8px;
  margin: 0;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  overflow-wrap: anywhere;
}
.reasons::first-letter {
  text-transform: uppercase;
}
.bring {
  display: flex;
  gap: 6px;
}
.bring .in {
  height: 28px;
  min-width: 0;
}
</style>
