<script setup lang="ts">
import { NModal } from 'naive-ui'
import { trap } from './trap'

// A dialog over the page: it keeps the tab key inside, and Escape or a click beside it leaves.
defineProps<{ name: string; title: string; size: 'narrow' | 'middle' | 'broad' }>()
const emit = defineEmits<{ leave: [] }>()
</script>

<template>
  <NModal show :auto-focus="false" :trap-focus="false" @update:show="(s: boolean) => !s && emit('leave')">
    <div
      class="panel dialog"
      :class="size"
      role="dialog"
      aria-modal="true"
      :aria-labelledby="`${name}-title`"
      :data-testid="name"
      @keydown="trap"
      @keydown.esc="emit('leave')"
    >
      <h1 :id="`${name}-title`">{{ title }}</h1>
      <slot />
    </div>
  </NModal>
</template>

<style scoped>
.dialog {
  max-width: calc(100vw - 24px);
  padding: 20px 24px;
  color: var(--ink);
}
.narrow {
  width: 380px;
}
.middle {
  width: 620px;
}
.broad {
  width: 760px;
}
</style>
