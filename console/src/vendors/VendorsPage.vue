<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { words } from '../shared/api'
import { useMe } from '../shared/queries'
import { useVendors } from './queries'
import { clock, short, useClock } from '../shared/time'
import PackReader from '../exchange/PackReader.vue'

const { data, error } = useVendors()
const now = useClock()
const me = useMe()
const router = useRouter()
const reading = ref(false)
</script>

<template>
  <div class="row below">
    <h1>Vendors</h1>
    <div v-if="me.data.value?.may.includes('vendors')" class="row right">
      <NButton data-testid="read-pack" @click="reading = !reading">Import a pack</NButton
      ><NButton data-testid="add" @click="router.push('/vendors/new')">Add a vendor</NButton>
    </div>
  </div>
  <PackReader v-if="reading" @leave="reading = false" />
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <p v-if="data && !data.items.length" class="panel roomy">There are no vendors yet.</p>
  <section v-else-if="data" class="panel" aria-label="Vendors">
    <div v-for="v in data.items" :key="v.key" class="line">
      <RouterLink data-walk :to="`/vendors/${v.key}`"
        ><b>{{ v.name }}</b></RouterLink
      >
      <span class="sub cut">{{ v.does }}</span>
      <span class="tn"
        >{{ clock(now, v.zone) }} local time, {{ v.open ? 'open' : 'closed'
        }}<template v-if="v.until"> until {{ short(v.until, now, v.zone) }}</template></span
      >
      <span class="sub">{{
        v.links?.some((l) => l.failing_since) ? 'Link failing' : v.links?.length ? 'Link works' : 'No link'
      }}</span>
      <span class="tn">{{ v.live_cases }} live</span>
    </div>
  </section>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 220px minmax(0, 1fr) 260px 90px 60px;
  gap: 14px;
  align-items: center;
  padding: 10px 14px;
}
.line + .line {
  border-top: 1px solid var(--line2);
}
@media (max-width: 900px) {
  .line {
    grid-template-columns: 1fr;
    gap: 2px;
  }
}
</style>
