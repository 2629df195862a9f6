<script setup lang="ts">
import { computed, ref } from 'vue'

const props = defineProps<{ id: string; pairs: Record<string, string> }>()
const emit = defineEmits<{ change: [pairs: Record<string, string> | undefined] }>()
// A pair without a name is not kept, and yet stands while it is typed.
const typed = ref<[string, string][]>()
const list = computed(() => typed.value ?? (Object.entries(props.pairs) as [string, string][]))

function keep(next: [string, string][]) {
  typed.value = next
  const named = next.filter(([k]) => k)
  emit('change', named.length ? Object.fromEntries(named) : undefined)
}
function set(i: number, at: 0 | 1, e: Event) {
  const next = list.value.map((p) => [...p] as [string, string])
  next[i]![at] = (e.target as HTMLInputElement).value
  keep(next)
}
</script>

<template>
  <div v-for="(p, i) in list" :key="i" class="row pair">
    <input class="in" :aria-label="`Name ${i + 1}`" :value="p[0]" @input="set(i, 0, $event)" />
    <input class="in" :aria-label="`Value ${i + 1}`" :value="p[1]" @input="set(i, 1, $event)" />
    <button
      type="button"
      class="linkish"
      :aria-label="`Remove attribute ${i + 1}`"
      @click="keep(list.filter((_, j) => j !== i))"
    >
      ✕
    </button>
  </div>
  <button :id="id" type="button" class="linkish" @click="typed = [...list, ['', '']]">Add an attribute</button>
</template>

<style scoped>
.pair {
  margin-bottom: 6px;
}
</style>
