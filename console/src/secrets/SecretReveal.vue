<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useTimeoutFn } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { onUnmounted, ref } from 'vue'
import { client, ok, words } from '../shared/api'

// One secret for one person: shown on a click, gone after a minute, kept on record.
const props = defineProps<{ name: string; for?: string; whyNot?: string }>()
const queries = useQueryClient()
const value = ref('')
const problem = ref('')
const busy = ref(false)
const { start, stop } = useTimeoutFn(() => (value.value = ''), 60_000, { immediate: false })
async function show() {
  busy.value = true
  problem.value = ''
  try {
    value.value = (
      await ok(
        client.POST('/secrets/{secret}/reveal', {
          params: { path: { secret: props.name } },
          body: { case: props.for },
        }),
      )
    ).value
    start()
    void queries.invalidateQueries({ queryKey: ['secrets'] })
  } catch (e) {
    problem.value = words(e)
  } finally {
    busy.value = false
  }
}
function hide() {
  stop()
  value.value = ''
}
onUnmounted(hide)
</script>

<template>
  <span class="reveal">
    <template v-if="value"
      ><code data-testid="secret-value">{{ value }}</code
      ><NButton size="small" :aria-label="'Hide ' + name" @click="hide">Hide</NButton
      ><span class="sub small" role="status">shown for a minute; it is recorded that you saw it</span></template
    >
    <NButton
      v-else-if="!whyNot"
      size="small"
      :loading="busy"
      :aria-label="'Reveal ' + name"
      :data-testid="'reveal-' + name"
      @click="show"
      >Reveal</NButton
    >
    <span v-else class="sub small">{{ whyNot }}</span>
    <span v-if="problem" class="problem" role="alert">{{ problem }}</span>
  </span>
</template>

<style scoped>
.reveal {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
}
code {
  padding: 2px 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  user-select: all;
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
</style>
