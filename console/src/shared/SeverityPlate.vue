<script setup lang="ts">
defineProps<{ severity?: number; word?: string; large?: boolean }>()
</script>

<template>
  <span
    class="plate"
    :class="[`s${severity ?? 0}`, { large }]"
    :title="word"
    role="img"
    :aria-label="severity ? `Severity ${severity}${word ? ', ' + word : ''}` : 'Not graded'"
    >{{ severity ?? '–' }}</span
  >
</template>

<style scoped>
.plate {
  display: inline-grid;
  place-items: center;
  width: 20px;
  height: 20px;
  flex: none;
  border-radius: 3px;
  font:
    650 12.5px/1 'Source Sans 3 Variable',
    sans-serif;
  border: 1.5px solid var(--ink);
  color: var(--ink);
}
.large {
  width: 40px;
  height: 40px;
  font-size: 20px;
}
.s1 {
  background: var(--ink);
  color: var(--panel);
}
.s2 {
  background: color-mix(in srgb, var(--ink) 22%, var(--panel));
}
.s3 {
  border-color: var(--ink2);
  color: var(--ink2);
}
.s4 {
  border-color: var(--line);
  color: var(--ink2);
}
.s0 {
  border: 1.5px dashed var(--line);
  color: var(--ink2);
}
</style>
