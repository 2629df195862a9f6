<script setup lang="ts">
import { computed } from 'vue'
import CopyButton from '../shared/CopyButton.vue'

// A text to be put into the fields of a portal: each part can be copied alone.
const props = defineProps<{ text: string }>()
type Part = { label: string; value: string }

/** A line above a part is its heading where it is short and no sentence. */
const heading = (line: string) => line.length <= 40 && !/[.,;!?:]$/.test(line)

const parts = computed(() => {
  const out: Part[] = []
  props.text
    .trim()
    .split(/\n{2,}/)
    .forEach((block, i) => {
      const lines = block.split('\n')
      const named = lines.map((l) => /^([^:]{1,60}): (.+)$/.exec(l))
      if (i === 0) out.push({ label: 'Title', value: block })
      else if (named.every((m) => m)) named.forEach((m) => out.push({ label: m![1]!, value: m![2]! }))
      else if (lines.length > 1 && heading(lines[0]!)) out.push({ label: lines[0]!, value: lines.slice(1).join('\n') })
      else out.push({ label: '', value: block })
    })
  return out
})
</script>

<template>
  <dl class="parts" aria-label="The text to send">
    <template v-for="(p, i) in parts" :key="i">
      <dt>{{ p.label }}</dt>
      <dd>
        <span class="value">{{ p.value }}</span><CopyButton :value="p.value" :what="p.label || 'this part'" />
      </dd>
    </template>
  </dl>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr);
  gap: 4px 12px;
  margin: 10px 0;
  max-height: 360px;
  overflow: auto;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  display: flex;
  align-items: start;
  gap: 6px;
}
.value {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
@media (max-width: 640px) {
  .parts {
    grid-template-columns: 1fr;
  }
}
</style>
