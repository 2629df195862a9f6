<script setup lang="ts">
import { ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import OpenDraft from './OpenDraft.vue'

// Each draft has a page of its own: what is still being saved of one has nothing to do with the next. The page on which
// one begins stays, under its address.
const route = useRoute()
const nth = ref(0)
let begun: string | undefined
watch(
  () => route.fullPath,
  () => {
    if (route.name === 'open' && route.params.name !== begun) nth.value++
    begun = undefined
  },
)
</script>

<template>
  <OpenDraft :key="nth" :name="String(route.params.name ?? '')" @begun="begun = $event" />
</template>
