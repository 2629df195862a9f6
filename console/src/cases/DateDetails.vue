<script setup lang="ts">
import { computed } from 'vue'
import { detailFields, type Details } from './dates'

// What else is known of a date: who comes, where, under which number.
const props = defineProps<{ kind: string; name: string }>()
const details = defineModel<Details>({ required: true })
const fields = computed(() => detailFields(props.kind))
</script>

<template>
  <div v-for="f in fields" :key="f.key" class="row detail">
    <label :for="`${name}-${f.key}`">{{ f.label }}</label><input
      :id="`${name}-${f.key}`"
      v-model="details[f.key]"
      class="in"
      :type="f.time ? 'datetime-local' : 'text'"
      maxlength="200"
      :data-testid="`${name}-${f.key}`"
    />
  </div>
</template>

<style scoped>
.detail > label {
  flex: 0 0 96px;
}
.detail > .in {
  flex: 1;
  min-width: 0;
}
</style>
