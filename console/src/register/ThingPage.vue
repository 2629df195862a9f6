<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words as say } from '../shared/api'
import { useMe } from '../shared/queries'
import { useVendor } from '../vendors/queries'
import {
  act,
  addThing,
  changeThing,
  checkThing,
  left,
  removeThing,
  singular,
  titleOf,
  useThing,
  type Members,
} from './things'
import { type KindName } from './fields'
import CoverMark from './CoverMark.vue'
import FactEditor from './FactEditor.vue'
import FactSheet from './FactSheet.vue'
import AsItStood from '../shared/AsItStood.vue'
import { useMoment } from '../shared/moment'
import TimeText from '../shared/TimeText.vue'
import PapersPart from '../files/PapersPart.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const kind = computed(() => route.params.kind as KindName)
const fresh = computed(() => route.params.id === 'new')
const id = computed(() => (fresh.value ? 0 : Number(route.params.id)))
const { moment, stand } = useMoment()
const past = computed(() => kind.value === 'contracts' && !!moment.value.at)
const { data, error } = useThing(
  kind,
  id,
  computed(() => (past.value ? moment.value.at : undefined)),
)
const thing = computed(() => data.value?.data)
const vendor = useVendor(
  computed(() => thing.value?.facts.vendor ?? ''),
  computed(() => kind.value === 'contracts' && !!thing.value),
)
const mayWrite = computed(() => !past.value && (me.data.value?.may.includes(act(kind.value)) ?? false))

const paperKind = computed(
  () => (({ contracts: 'contract', accounts: 'account', assets: 'asset' }) as const)[kind.value as string],
)
const editing = ref(fresh.value)
watch(fresh, (is) => (editing.value = is))
const start = computed<Members & { vendor: string }>(() =>
  fresh.value ? { vendor: typeof route.query.vendor === 'string' ? route.query.vendor : '' } : thing.value!.facts,
)
const etag = ref('')
watch(editing, (is) => is && (etag.value = data.value?.etag ?? ''))
const check = (members: Members) => checkThing(kind.value, fresh.value ? undefined : id.value, members)
const made = ref(0)
async function keep(members: Members, confirmed: boolean) {
  if (fresh.value) made.value = (await addThing(kind.value, members)).id
  else {
    const now = await changeThing(kind.value, id.value, etag.value, members, confirmed)
    // A change right after this one begins with it.
    queries.setQueryData(['thing', kind.value, id.value, undefined], now)
  }
}
async function kept() {
  for (const key of ['things', 'thing', 'vendor']) void queries.invalidateQueries({ queryKey: [key] })
  editing.value = false
  if (made.value) await router.replace(`/register/${kind.value}/${made.value}`)
}
const removing = ref(false)
const problem = ref('')
async function remove() {
  try {
    await removeThing(kind.value, id.value, data.value!.etag)
    await queries.invalidateQueries({ queryKey: ['things'] })
    await router.replace(`/register/${kind.value}`)
  } catch (e) {
    problem.value = say(e)
  } finally {
    removing.value = false
  }
}
</script>

<template>
  <p class="small">
    <RouterLink :to="`/register/${kind}`">{{ kind[0]!.toUpperCase() + kind.slice(1) }}</RouterLink>
  </p>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <template v-if="fresh || thing">
    <div class="row head">
      <h1>{{ fresh ? `New ${singular(kind)}` : titleOf(thing!) }}</h1>
      <RouterLink v-if="thing" class="sub" :to="`/vendors/${thing.facts.vendor}`">{{ thing.vendor_name }}</RouterLink>
      <button
        v-if="thing && !editing && kind === 'contracts' && !past"
        class="linkish small"
        type="button"
        data-testid="stand"
        @click="stand"
      >
        As it stood…
      </button>
      <span class="grow" />
      <template v-if="!editing && thing">
        <NButton
          v-if="(kind === 'assets' || kind === 'contracts') && me.data.value?.may.includes('work')"
          data-testid="open-here"
          @click="router.push(`/open?${singular(kind)}=${thing.id}`)"
          >Open a case</NButton
        >
        <NButton v-if="mayWrite" type="primary" data-testid="edit" @click="editing = true">Change</NButton>
        <NButton v-if="mayWrite" data-testid="remove" @click="removing = true">Remove</NButton>
      </template>
    </div>
    <template v-if="past && thing">
      <AsItStood targets />
      <p class="sub" data-testid="targets-since">
        <template v-if="thing.targets_since"
          >The targets below were in force from <TimeText :at="thing.targets_since" /> on.</template
        ><template v-else>It had no targets yet.</template> Everything else is as it is now.
      </p>
    </template>
    <p v-if="thing?.cover"><CoverMark :cover="thing.cover" whole /></p>
    <p v-for="w in thing?.warnings" :key="w" class="warn">{{ w }}</p>
    <p v-if="thing && !editing" class="sub">
      <RouterLink
        v-if="thing.assets !== undefined && kind !== 'assets'"
        :to="{ name: 'register', params: { kind: 'assets' }, query: { [singular(kind)]: thing.id } }"
        >{{
          (kind === 'contracts' ? 'named by ' : '') + (thing.assets === 1 ? '1 asset' : `${thing.assets} assets`)
        }}</RouterLink
      >
      <template v-if="thing.live_cases !== undefined"
        ><template v-if="kind !== 'assets'">, </template
        ><RouterLink
          v-if="kind !== 'products'"
          :to="{ name: 'cases', query: { [singular(kind)]: thing.id, state: thing.live_cases ? undefined : 'all' } }"
          data-testid="its-cases"
          >{{ thing.live_cases === 1 ? '1 live case' : `${thing.live_cases} live cases` }}</RouterLink
        ></template
      >
      <template v-if="thing.opened_cases !== undefined">, {{ thing.opened_cases }} opened under it</template>
      <template v-if="thing.days_left !== undefined">, {{ left(thing.days_left) }}</template>
    </p>
    <p v-if="thing?.number_found && !thing.facts.number_found && !editing" class="sub">
      Where to find the serial number: {{ thing.number_found }}
    </p>
    <p v-if="problem" class="problem" role="alert" data-testid="problem">{{ problem }}</p>
    <div v-if="removing" class="panel ask" role="alertdialog" aria-label="Remove it?">
      <p>{{ titleOf(thing!) }} will be removed from the register. If something refers to it, it cannot be removed.</p>
      <div class="row">
        <NButton type="primary" data-testid="remove-yes" @click="remove">Remove {{ singular(kind) }}</NButton
        ><NButton @click="removing = false">Cancel</NButton>
      </div>
    </div>
    <FactEditor
      v-if="editing"
      :kind="kind"
      :fresh="fresh"
      :start="start"
      :check="check"
      :keep="keep"
      @kept="kept"
      @leave="fresh ? router.push(`/register/${kind}`) : (editing = false)"
    />
    <FactSheet v-else-if="thing" :kind="kind" :facts="thing.facts" :levels="vendor.data.value?.levels" />
    <PapersPart
      v-if="thing && !editing && paperKind"
      :key="`${kind}/${thing.id}`"
      :kind="paperKind"
      :owner="String(thing.id)"
      :may="mayWrite"
    />
  </template>
</template>

<style scoped>
.head {
  flex-wrap: wrap;
  margin-bottom: 4px;
}
.ask {
  padding: 12px 16px;
  margin-top: 12px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  align-items: flex-start;
  border-left: 3px solid var(--soon);
}
</style>
