<script setup lang="ts">
import type { Schemas } from '../shared/api'
import { target } from '../shared/words'

/** Whom to escalate to, with what is needed for the call. */
defineProps<{ advice: Schemas['Advice'] }>()
</script>

<template>
  <div class="notice" data-testid="advice">
    <p class="what">
      Escalate to <b>{{ advice.role }}{{ advice.name ? ` ${advice.name}` : '' }}</b
      >, because {{ advice.why }}.
      <span class="sub small">Rung {{ advice.rung }} of {{ advice.of }}</span>
    </p>
    <p class="what small">
      {{ advice.how
      }}<template v-if="advice.told"> · <span class="sub">What to tell them:</span> {{ advice.told }}</template
      ><template v-if="advice.reply">
        · <span class="sub">They answer within</span> {{ target(advice.reply) }}</template
      >
    </p>
  </div>
</template>

<style scoped>
.what {
  margin: 0;
}
</style>
