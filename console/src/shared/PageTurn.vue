<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useRouter } from 'vue-router'
import { useFilters } from './filters'

defineProps<{ next?: string }>()
const router = useRouter()
const { one, set } = useFilters()
</script>

<template>
  <div class="row turn">
    <NButton v-if="one('after')" @click="router.back()">Back</NButton>
    <NButton v-if="next" data-testid="next-page" @click="set({ after: next })">Next 50</NButton>
  </div>
</template>

<style scoped>
.turn {
  margin-top: 12px;
}
</style>
