<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'

// The lines of a request for capacity; the desk keeps them as text, a line each: place; thing; present; wanted.
const text = defineModel<string>({ default: '' })
const props = defineProps<{ id: string; places?: string[] }>()
type Row = [string, string, string, string]
const heads = ['Place', 'What', 'Now', 'Wanted'] as const
const read = (s: string): Row[] =>
  s
    .split('\n')
    .filter((l) => l.trim())
    .map((l) => {
      const [a = '', b = '', c = '', ...rest] = l.split(';').map((x) => x.trim())
      return [a, b, c, rest.join('; ')]
    })
const written = computed(() =>
  rows.value
    .filter((r) => r.some((x) => x.trim()))
    .map((r) => r.map((x) => x.trim().replaceAll(';', ',')).join('; '))
    .join('\n'),
)
const blank = (): Row => ['', '', '', '']
const rows = ref<Row[]>([blank()])
watch(
  text,
  (now) => {
    if (now !== written.value) rows.value = now ? read(now) : [blank()]
  },
  { immediate: true },
)
const changed = () => (text.value = written.value)
function add() {
  const last = rows.value.at(-1)
  rows.value.push(['', last?.[1] ?? '', '', ''])
}
function remove(i: number) {
  rows.value.splice(i, 1)
  if (rows.value.length === 0) rows.value.push(blank())
  changed()
}
</script>

<template>
  <div class="amounts" role="group" :aria-labelledby="`${props.id}-label`">
    <div v-for="(r, i) in rows" :key="i" class="line">
      <label v-for="(h, j) in heads" :key="h"
        ><span class="sub small">{{ h }}</span
        ><input
          :id="i + j === 0 ? props.id : undefined"
          v-model="r[j]"
          class="in"
          maxlength="120"
          :list="j === 0 && places?.length ? `${props.id}-places` : undefined"
          :data-testid="`${props.id}-${i}-${j}`"
          @input="changed"
      /></label>
      <NButton size="small" quaternary :aria-label="`Remove line ${i + 1}`" @click="remove(i)">Remove</NButton>
    </div>
    <datalist v-if="places?.length" :id="`${props.id}-places`">
      <option v-for="p in places" :key="p" :value="p" />
    </datalist>
    <NButton size="small" :data-testid="`${props.id}-add`" @click="add">Add a line</NButton>
  </div>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 1.2fr 1.6fr 1fr 1fr auto;
  gap: 8px;
  align-items: end;
  margin-bottom: 6px;
}
.line label {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.line .in {
  width: 100%;
}
@media (max-width: 700px) {
  .line {
    grid-template-columns: 1fr 1fr;
    padding-bottom: 6px;
    border-bottom: 1px solid var(--line2);
  }
}
</style>
