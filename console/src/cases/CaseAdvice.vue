<script setup lang="ts">
import type { Schemas } from '../shared/api'
import { short, useClock } from '../shared/time'
import { target } from '../shared/words'

/** Whom to escalate to, with what is needed for the call. */
defineProps<{ advice: Schemas['Advice']; name: string; zone?: string; may: boolean; past?: boolean }>()
const now = useClock()
</script>

<template>
  <div class="notice" data-testid="advice">
    <p class="what">
      Escalate to <b>{{ advice.role }}{{ advice.name ? ` ${advice.name}` : '' }}</b
      >, because {{ advice.why }}.
      <span class="sub small">Rung {{ advice.rung }} of {{ advice.of }}</span>
      <RouterLink v-if="may" class="go" :to="`/cases/${name}/escalate`" data-testid="escalate">Escalate…</RouterLink>
    </p>
    <p class="what small">
      {{ advice.how }}
      <span v-if="!past" class="sub"
        >· {{ advice.open ? 'open now' : 'closed now'
        }}<template v-if="advice.until">, until {{ short(advice.until, now, zone) }} there</template></span
      ><template v-if="advice.told"> · <span class="sub">What to tell them:</span> {{ advice.told }}</template
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
.go {
  margin-left: 8px;
}
</style>
