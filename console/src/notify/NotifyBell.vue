<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { line, show } from './desktop'
import { useLatest, type Told } from './queries'

// How much is unread, and what happens just now: it shows for a while, without moving anything.
const router = useRouter()
const { data } = useLatest()
const fresh = ref<Told>()
let newest: number | undefined
let timer: ReturnType<typeof setTimeout> | undefined
const open = (n: Told) => {
  fresh.value = undefined
  void router.push(`/cases/${n.case}`)
}
watch(data, (l) => {
  if (!l) return
  const before = newest
  newest = Math.max(before ?? 0, ...l.items.map((n) => n.id))
  const list = before === undefined ? [] : l.items.filter((n) => n.id > before && !n.read_at)
  if (list.length === 0) return
  list.forEach((n) => show(n, () => open(n)))
  fresh.value = list[0]
  clearTimeout(timer)
  timer = setTimeout(() => (fresh.value = undefined), 12_000)
})
const many = (n: number) => (n >= 1000 ? '1000+' : String(n))
</script>

<template>
  <RouterLink class="bell" to="/notifications" data-testid="bell">
    Notifications<b v-if="data && data.unread > 0" class="count tn">{{ many(data.unread) }}</b
    ><span v-if="data && data.unread > 0" class="hide"> unread</span>
  </RouterLink>
  <div class="fresh" role="status">
    <div v-if="fresh" class="panel" data-testid="told">
      <RouterLink :to="`/cases/${fresh.case}`" @click="fresh = undefined"
        ><span class="mono">{{ fresh.case }}</span> {{ fresh.title }}</RouterLink
      >
      <p class="cut">{{ line(fresh) }}</p>
      <button class="linkish small" type="button" @click="fresh = undefined">Close</button>
    </div>
  </div>
</template>

<style scoped>
.bell {
  color: var(--primary);
  white-space: nowrap;
}
.count {
  margin-left: 5px;
  padding: 1px 7px;
  border-radius: 9px;
  background: var(--primary);
  color: var(--panel);
  font-size: 12.5px;
}
.fresh {
  position: fixed;
  right: 16px;
  bottom: 16px;
  z-index: 40;
  max-width: min(420px, calc(100vw - 32px));
}
.fresh .panel {
  padding: 10px 14px;
  border-color: var(--primary);
  box-shadow: 0 4px 18px rgb(0 0 0 / 22%);
}
</style>
