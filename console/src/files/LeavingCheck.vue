<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, watch } from 'vue'
import { client, ok } from '../shared/api'
import { label } from '../shared/words'
import AnywayReason from './AnywayReason.vue'

// What is in a text that is to leave, while somebody writes it. The service looks again before it sends.
// What is fixed cannot be changed here; what is sent later is only said, and its reason is given then.
const props = defineProps<{ text: string; internal?: boolean; fixed?: boolean; later?: boolean }>()
/** Why it is sent anyway. */
const reason = defineModel<string>('reason', { default: '' })
const emit = defineEmits<{ mask: [text: string]; stopped: [boolean] }>()
const written = refDebounced(
  computed(() => props.text),
  350,
)
const { data } = useQuery({
  queryKey: computed(() => ['scan', written.value]),
  queryFn: () => ok(client.POST('/scan', { body: { text: written.value } })),
  enabled: computed(() => written.value.trim().length > 3),
  gcTime: 0,
  staleTime: Infinity,
  placeholderData: (before) => before,
})
const found = computed(() => (props.text.trim().length > 3 ? (data.value?.findings ?? []) : []))
const of = (level: string) => found.value.filter((f) => f.level === level)
const stops = computed(() => of('stop'))
const warnings = computed(() => of('warn'))
const told = computed(() => [...new Set(of('tell').map((f) => label('FindingKind', f.kind)))].join(', '))
const shown = 5
watch(
  () => stops.value.length > 0 && !props.internal && !reason.value.trim(),
  (stopped) => emit('stopped', stopped),
  { immediate: true },
)
</script>

<template>
  <div
    v-if="found.length"
    class="check small"
    :class="{ bad: stops.length && !internal }"
    data-testid="leaving-check"
    aria-live="polite"
  >
    <template
      v-for="[list, head] in [
        [stops, internal ? 'Take this out if nobody needs it here:' : 'This must not be sent:'],
        [internal ? [] : warnings, 'Look at this before you send it:'],
      ] as const"
      :key="head"
    >
      <template v-if="list.length">
        <p class="warn">
          <b>{{ head }}</b>
        </p>
        <ul>
          <li v-for="(f, i) in list.slice(0, shown)" :key="i" :data-testid="'found-' + f.kind">
            <template v-if="!later">Line {{ f.line }}: </template>{{ label('FindingKind', f.kind) }}
            <span class="mono">{{ f.excerpt }}</span>
          </li>
          <li v-if="list.length > shown">and {{ list.length - shown }} more</li>
        </ul>
      </template>
    </template>
    <p v-if="told && !internal" class="sub">Also in it: {{ told }}</p>
    <button
      v-if="!fixed && (stops.length || (warnings.length && !internal))"
      type="button"
      class="linkish"
      data-testid="mask"
      @click="emit('mask', data?.masked ?? text)"
    >
      Replace with ********
    </button>
    <AnywayReason v-if="stops.length && !internal && !later" id="disclose" v-model="reason" />
  </div>
</template>

<style scoped>
.check {
  border-left: 3px solid var(--line2);
  padding: 2px 0 2px 12px;
  display: flex;
  flex-direction: column;
  gap: 4px;
  align-items: flex-start;
}
.check.bad {
  border-left-color: var(--late);
  color: inherit;
}
.check ul {
  margin: 0;
  padding-left: 18px;
}
.check li {
  overflow-wrap: anywhere;
}
</style>
