<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'
import RegisterHead from '../register/RegisterHead.vue'
import { choicesOf } from '../shared/words'

// What of the desk's preparations is missing, with the step that fixes each.
const { data, error } = useQuery({ queryKey: ['readiness'], queryFn: () => ok(client.GET('/readiness')) })
const groups = computed(() =>
  choicesOf('ReadinessGap.kind')
    .map((k) => ({ ...k, gaps: (data.value?.gaps ?? []).filter((g) => g.kind === k.value) }))
    .filter((k) => k.gaps.length),
)
/** Where a gap is fixed. */
function place(g: Schemas['ReadinessGap']): string {
  if (g.contract) return `/register/contracts/${g.contract}`
  return g.vendor ? `/vendors/${g.vendor}` : '/register/rota'
}
</script>

<template>
  <RegisterHead at="ready" />
  <p class="sub">
    What is missing at vendors with a contract in force, and on the rota for the next 14 days. It is easier to fix now
    than once a case needs it.
  </p>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <p v-else-if="data && !groups.length" class="panel roomy" data-testid="all-ready">
    Everything is ready: every level has a target, every vendor a ladder and somebody to call out of hours, and the rota
    has no gap.
  </p>
  <section v-for="k in groups" :key="k.value" class="panel" :data-testid="`gaps-${k.value}`">
    <h2>{{ k.label }}</h2>
    <div v-for="g in k.gaps" :key="g.text" class="gap" data-testid="gap">
      <span>{{ g.text }}.</span>
      <RouterLink :to="place(g)">{{ g.remedy }}</RouterLink>
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 14px;
}
h2 {
  padding: 9px 14px;
  margin: 0;
}
.gap {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 380px);
  gap: 4px 20px;
  padding: 8px 14px;
  border-top: 1px solid var(--line2);
  overflow-wrap: anywhere;
}
@media (max-width: 700px) {
  .gap {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
