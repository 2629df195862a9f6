<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { client, ok, type Schemas } from '../shared/api'
import { attrs } from '../shared/attrs'
import { short, useClock } from '../shared/time'
import { choicesOf } from '../shared/words'
import { useAccountOptions, useContractOptions } from '../register/things'
import { useVendorOptions, useVendors } from '../vendors/queries'
import { useDraftHere } from './draft'

const d = useDraftHere()
const vendors = useVendors()
const now = useClock()

// The asset is found as one types; with it come vendor, contract, account and what is known.
const hits = ref<Schemas['Hit'][]>([])
const lookForAsset = useDebounceFn(async () => {
  const text = d.assetWords.trim()
  if (!text) {
    hits.value = []
    if (d.form.asset) Object.assign(d.form, { asset: null, contract: null })
    return
  }
  const query = { words: text, kind: 'asset' as const, limit: 8 }
  hits.value = (await ok(client.GET('/find', { params: { query } })).catch(() => ({ items: [] }))).items
  const exact = hits.value.filter((h) => h.exact)
  if (exact.length === 1 && exact[0]!.id !== d.form.asset) await d.choose(exact[0]!.id)
}, 200)

const contractOptions = useContractOptions(
  computed(() => d.form.vendor ?? ''),
  computed(() => d.form.asset ?? 0),
  computed(() => d.form.contract ?? 0),
)
const vendorOptions = useVendorOptions()
const vendor = computed(() => vendors.data.value?.items.find((v) => v.key === d.form.vendor))
const kindOptions = choicesOf('CaseKind')
const accountOptions = useAccountOptions(computed(() => (d.form.vendor ? (d.form.maker ?? d.form.vendor) : '')))
// Whose it may be, by the words of its title, until somebody has said so.
const candidates = ref<Schemas['Candidate'][]>([])
watch(
  [() => d.form.title, () => d.form.vendor],
  useDebounceFn(async () => {
    const words = d.form.title.trim()
    candidates.value =
      d.form.vendor || words.length < 4
        ? []
        : (await ok(client.GET('/whom', { params: { query: { words } } })).catch(() => ({ items: [] }))).items
  }, 300),
  { immediate: true },
)
function belongs(c: Schemas['Candidate']) {
  const through = c.first && !c.first.direct
  Object.assign(d.form, { vendor: through ? c.first!.vendor : c.vendor, maker: through ? c.vendor : null })
}
const maker = computed(() => vendors.data.value?.items.find((v) => v.key === d.form.maker))
const first = computed(() => (d.draft?.line.vendor_key === d.form.vendor ? d.draft?.first : undefined))
/** What is not listed, and its name as one knows it. */
const unlisted = ref<('vendor' | 'product' | 'kind')[]>([])
const shows = (what: 'vendor' | 'product' | 'kind') => unlisted.value.includes(what) || !!d.form.unsorted[what]
</script>

<template>
  <section class="panel part" aria-labelledby="p1">
    <h2 id="p1"><span class="mono n">1</span> What and where</h2>
    <div class="field">
      <label for="title">Title</label>
      <NInput
        v-model:value="d.form.title"
        :maxlength="200"
        placeholder="One line that names the problem"
        :input-props="attrs({ id: 'title', 'data-testid': 'title' })"
      />
    </div>
    <div v-if="candidates.length" class="field" data-testid="whom">
      <span class="label">It may belong to</span>
      <ul>
        <li v-for="c in candidates" :key="c.vendor">
          <button class="linkish" type="button" :data-testid="'whom-' + c.vendor" @click="belongs(c)">
            {{ c.name }}
          </button>
          <span class="sub small"> · {{ c.why.join('; ') }}</span>
          <span v-if="c.first" class="sub small">
            · go to {{ c.first.name }} first{{
              c.first.direct ? ', although going there directly is allowed' : ''
            }}</span
          >
        </li>
      </ul>
    </div>
    <div class="field">
      <label for="asset">Asset</label>
      <div>
        <input
          id="asset"
          v-model="d.assetWords"
          class="in"
          list="asset-list"
          autocomplete="off"
          data-testid="asset"
          placeholder="Serial, name or identifier; empty if there is none"
          @input="lookForAsset"
        />
        <datalist id="asset-list">
          <option v-for="x in hits" :key="x.id" :value="x.name">{{ x.title }}, {{ x.detail }}</option>
        </datalist>
        <input
          v-if="shows('product')"
          v-model="d.form.unsorted.product"
          class="in unknown"
          aria-label="Product or thing, as you know it"
          placeholder="Product or thing, as you know it"
          data-testid="unknown-product"
        />
        <button
          v-else-if="!d.form.asset"
          class="linkish unlisted"
          type="button"
          data-testid="no-product"
          @click="unlisted.push('product')"
        >
          It is not in the register
        </button>
      </div>
    </div>
    <div class="field">
      <span id="l-vendor" class="label">Vendor</span>
      <div>
        <NSelect
          v-model:value="d.form.vendor"
          filterable
          :options="vendorOptions"
          placeholder="Choose a vendor"
          :input-props="attrs({ 'aria-labelledby': 'l-vendor' })"
          data-testid="vendor"
          :menu-props="attrs({ 'data-testid': 'vendor-menu' })"
          :node-props="(o) => attrs({ 'data-testid': 'vendor-opt-' + o.value })"
        />
        <p v-if="vendor" class="sub small">
          Now {{ vendor.open ? 'open' : 'closed' }}
          <template v-if="vendor.until">until {{ short(vendor.until, now, vendor.zone) }} vendor time</template>
        </p>
        <p v-if="maker" class="sub small" data-testid="maker">
          For {{ maker.name }}, which is reached through {{ vendor?.name }}
        </p>
        <p v-if="first" class="warn small" data-testid="go-first">
          {{ vendor?.name }} is reached through {{ first.name }}{{ first.direct ? ', or directly' : '' }}.
          <button class="linkish" type="button" data-testid="go-through" @click="d.form.vendor = first.vendor">
            Open it with {{ first.name }}
          </button>
        </p>
        <input
          v-if="shows('vendor') && !d.form.vendor"
          v-model="d.form.unsorted.vendor"
          class="in unknown"
          aria-label="Vendor, as you know it"
          placeholder="Who it may be, as you know it"
          data-testid="unknown-vendor"
        />
        <button
          v-else-if="!d.form.vendor"
          class="linkish unlisted"
          type="button"
          data-testid="no-vendor"
          @click="unlisted.push('vendor')"
        >
          The vendor is not listed
        </button>
      </div>
    </div>
    <div v-if="d.form.vendor" class="field">
      <span id="l-contract" class="label">Contract</span>
      <NSelect
        v-model:value="d.form.contract"
        clearable
        :options="contractOptions"
        placeholder="The one that covers the asset"
        :input-props="attrs({ 'aria-labelledby': 'l-contract' })"
        data-testid="contract"
        :menu-props="attrs({ 'data-testid': 'contract-menu' })"
        :node-props="(o) => attrs({ 'data-testid': 'contract-opt-' + o.value })"
      />
    </div>
    <div v-if="accountOptions.length" class="field">
      <span id="l-account" class="label">Account</span>
      <NSelect
        v-model:value="d.form.account"
        clearable
        :options="accountOptions"
        placeholder="Taken from the asset"
        :input-props="attrs({ 'aria-labelledby': 'l-account' })"
        data-testid="account"
      />
    </div>
    <div class="field">
      <label for="affected">Affected</label>
      <NInput
        v-model:value="d.form.texts.affected"
        placeholder="Service, machine or account, with its serial or number"
        :input-props="attrs({ id: 'affected', 'data-testid': 'affected' })"
      />
    </div>
    <div class="field">
      <span id="l-kind" class="label">Kind</span>
      <div class="row">
        <NSelect
          v-model:value="d.form.kind"
          class="kind"
          :options="kindOptions"
          :input-props="attrs({ 'aria-labelledby': 'l-kind' })"
        />
        <span class="row together"
          ><label for="ticket" class="sub">Our ticket</label
          ><NInput v-model:value="d.form.ticket" class="ticket" placeholder="" :input-props="attrs({ id: 'ticket' })"
        /></span>
        <input
          v-if="shows('kind')"
          v-model="d.form.unsorted.kind"
          class="in unknown"
          aria-label="Kind, as you would call it"
          placeholder="What kind it is, as you would call it"
          data-testid="unknown-kind"
        />
        <button v-else class="linkish unlisted" type="button" data-testid="no-kind" @click="unlisted.push('kind')">
          None of these fits
        </button>
      </div>
    </div>
  </section>
</template>

<style scoped>
.together {
  flex-wrap: nowrap;
}
.unknown {
  margin-top: 6px;
  border-style: dashed;
}
.unlisted {
  display: block;
  margin-top: 4px;
  padding: 2px 0;
  font-size: 14px;
}
.kind {
  max-width: 180px;
}
.ticket {
  max-width: 160px;
}
.row {
  flex-wrap: wrap;
}
ul {
  margin: 0;
  padding-left: 18px;
}
</style>
