<script setup lang="ts">
import { ref, watch } from 'vue'
import { forInput, fromInput } from './time'
import { useMoment } from './moment'

// What is shown is as it stood at a moment that is chosen here, and nothing is done to it.
// Of targets it is always what was known then.
defineProps<{ targets?: boolean }>()
const { moment, go } = useMoment()
const at = ref('')
watch(
  () => moment.value.at,
  (t) => (at.value = t ? forInput(t) : ''),
  { immediate: true },
)
</script>

<template>
  <form
    v-if="moment.at"
    class="stood"
    aria-label="As it stood"
    data-testid="stood"
    @submit.prevent="at && go({ at: fromInput(at), known: moment.known })"
  >
    <label for="stood-at">As it stood on</label>
    <input id="stood-at" v-model="at" type="datetime-local" class="in" required data-testid="stood-at" />
    <button type="submit" class="linkish" data-testid="stood-go">Show</button>
    <label v-if="!targets"
      ><input
        type="checkbox"
        :checked="moment.known"
        data-testid="stood-known"
        @change="go({ at: moment.at, known: ($event.target as HTMLInputElement).checked })"
      />
      Leave out what was recorded later</label
    >
    <button type="button" class="linkish" data-testid="stood-now" @click="go({})">Back to now</button>
  </form>
</template>

<style scoped>
.stood {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 6px 14px;
  margin: 0 0 12px;
  padding: 6px 12px;
  border: 1px solid var(--line);
  border-left: 3px solid var(--now);
  border-radius: 4px;
}
.stood .in {
  width: auto;
}
</style>
