<script setup lang="ts">
import { NButton, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { against, pickedRoute, routeWords } from '../shared/routes'
import ReviewDialog from './ReviewDialog.vue'
import OpenClashes from './OpenClashes.vue'
import OpenContact from './OpenContact.vue'
import OpenOutages from './OpenOutages.vue'
import OpenSeverity from './OpenSeverity.vue'
import FilesPart from '../files/FilesPart.vue'
import OpenStory from './OpenStory.vue'
import OpenWhat from './OpenWhat.vue'
import { useOwners } from '../people/queries'
import { attrs } from '../shared/attrs'
import { useVendors } from '../vendors/queries'
import { useClock } from '../shared/time'
import { label } from '../shared/words'
import { provideDraft } from './draft'

const { name } = defineProps<{ name: string }>()
const emit = defineEmits<{ begun: [name: string] }>()

const d = provideDraft(name, (began) => emit('begun', began))
const now = useClock()
const vendors = useVendors()
const owners = useOwners()
const vendor = computed(() => vendors.data.value?.items.find((v) => v.key === d.form.vendor))
const needs = computed(() => d.draft?.needs ?? [])
const required = computed(() => needs.value.filter((n) => n.weight === 'required').length)
const routes = computed(() => d.draft?.routes ?? [])
const picked = ref<string>()
const via = computed(() => pickedRoute(routes.value, picked.value))
const way = computed(() => (via.value ? ' ' + routeWords(via.value, routes.value) : ''))
// One can type as soon as the draft is there.
watch(
  () => d.ready,
  (ready) => {
    if (ready && document.activeElement === document.body) document.getElementById('title')?.focus()
  },
  { immediate: true, flush: 'post' },
)
const looking = ref(false)
async function look() {
  if ((await d.settle()) && (await d.reread())) looking.value = true
}
</script>

<template>
  <div class="row name">
    <h1>Open a case</h1>
    <span class="sub">{{ d.draft ? d.draft.line.number + ', draft' : d.ready ? 'not saved yet' : '' }}</span>
  </div>
  <div class="cols">
    <div v-if="d.ready">
      <OpenClashes />
      <OpenOutages />
      <OpenWhat />
      <OpenSeverity />
      <OpenStory />
      <OpenContact />
    </div>
    <p v-else class="sub">{{ d.problem ? '' : 'Reading the draft…' }}</p>
    <aside>
      <h2>Still missing</h2>
      <p v-if="d.draft?.complete !== undefined" class="measure" data-testid="complete">
        <span class="bar" aria-hidden="true"><span :style="{ width: d.draft.complete + '%' }"></span></span>
        Description {{ d.draft.complete }}% complete
      </p>
      <p v-if="!d.draft && d.ready" class="sub">What is missing appears here once there is a title and a vendor.</p>
      <p v-for="n in needs" :key="n.text" class="need">
        <span class="mono" :class="n.weight">{{ label('Need.weight', n.weight) }}</span><span
          >{{ n.text }}<span v-if="n.why && !n.text.includes(n.why)" class="sub">: {{ n.why }}</span>
          <span v-if="n.points" class="tn points">+{{ n.points }}%</span></span
        >
      </p>
      <template v-if="d.form.go_on_reason || needs.some((n) => n.field === 'go_on_reason')">
        <label for="go-on" class="sub small">Reason to go on</label>
        <input id="go-on" v-model="d.form.go_on_reason" class="in" maxlength="1000" data-testid="go-on" />
      </template>
      <p v-if="d.draft && !required" class="need"><span class="mono ok">ok</span>Nothing required is missing</p>
      <h2 class="then">What happens next</h2>
      <p class="sub" data-testid="what-next">
        It will be sent to {{ vendor?.name ?? 'the vendor' }}{{ way }}.
        <b v-for="s in against(via, vendor?.name ?? 'The vendor', now)" :key="s" class="warn" data-testid="against"
          >{{ s }}{{ ' ' }}</b
        >
        <template v-if="via?.automatic"> The deadlines start once it has arrived. </template>
        <template v-else-if="!via">
          How it is sent and when the deadlines start appear here once the draft is saved.
        </template>
        <template v-else>
          You send it yourself: the text is ready to copy. The deadlines start when you mark it as sent.
        </template>
      </p>
      <div class="row acts">
        <span v-if="d.draft?.complete !== undefined" class="left sub">
          {{ required ? `${required} required` : 'Nothing required is missing' }} · {{ d.draft.complete }}%
        </span>
        <NButton type="primary" :disabled="!d.draft || required > 0" data-testid="review" @click="look">
          Review…
        </NButton>
        <NButton
          :disabled="!d.form.title.trim() || !(d.form.vendor || d.form.unsorted.vendor.trim())"
          data-testid="keep-draft"
          @click="d.keep"
        >
          Save draft
        </NButton>
      </div>
      <div v-if="d.draft" class="owner">
        <span class="sub small">Owner</span>
        <NSelect
          size="small"
          filterable
          :value="owners.find((o) => o.label === d.draft!.line.owner)?.value"
          :options="owners"
          :input-props="attrs({ 'aria-label': 'Owner' })"
          data-testid="owner"
          :menu-props="attrs({ 'data-testid': 'owner-menu' })"
          :node-props="(o) => attrs({ 'data-testid': 'owner-opt-' + o.value })"
          @update:value="(person: string) => d.step({ step: 'give', person })"
        />
      </div>
      <FilesPart v-if="d.draft" :key="d.draft.line.number" :name="d.draft.line.number" may />
      <p v-if="d.problem" class="problem" role="alert" data-testid="open-problem">{{ d.problem }}</p>
      <p class="sub small" role="status">
        {{ d.saving ? 'Saving…' : d.saved ? 'Saved ' + d.saved.toLocaleTimeString('en-GB') : '' }}
      </p>
    </aside>
  </div>
  <ReviewDialog v-if="looking" v-model:picked="picked" :routes="routes" @leave="looking = false" />
</template>

<style scoped>
.name {
  margin-bottom: 10px;
  align-items: baseline;
}
.cols {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 26px;
}
.cols :deep(.part) {
  padding: 12px 16px 16px;
  margin-bottom: 12px;
}
.cols :deep(.n) {
  color: var(--brass);
  margin-right: 8px;
}
aside h2 {
  border-bottom: 1px solid var(--line2);
  padding-bottom: 5px;
  margin-bottom: 4px;
}
.then {
  margin-top: 20px;
}
.acts {
  margin: 12px 0;
}
.owner {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 10px;
  align-items: center;
  margin-bottom: 8px;
}
.left {
  display: none;
}
.points {
  margin-left: 4px;
  color: var(--ink2);
  white-space: nowrap;
}
/* What is missing and the next step stay in sight however long the form is. */
@media (min-width: 901px) {
  aside {
    position: sticky;
    top: 12px;
    align-self: start;
    max-height: calc(100vh - 24px);
    overflow-y: auto;
  }
  .acts {
    position: sticky;
    bottom: 0;
    padding: 8px 0;
    background: var(--paper);
  }
}
.need {
  display: flex;
  gap: 9px;
  padding: 6px 0;
  border-bottom: 1px solid var(--line2);
}
.need > .mono {
  flex: 0 0 62px;
}
.need .required {
  color: var(--late);
}
.need .later,
.need .warning {
  color: var(--brass);
}
.measure {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 6px 0;
}
.bar {
  flex: 1;
  height: 6px;
  border: 1px solid var(--line);
  border-radius: 3px;
  overflow: hidden;
}
.bar > span {
  display: block;
  height: 100%;
  background: var(--primary);
}
.need .ok {
  color: var(--run);
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: minmax(0, 1fr);
    padding-bottom: 64px;
  }
  .acts {
    position: fixed;
    z-index: 5;
    inset: auto 0 0;
    margin: 0;
    padding: 10px 16px;
    background: var(--panel);
    border-top: 1px solid var(--line);
  }
  .acts .left {
    display: inline;
  }
}
</style>
