<script setup lang="ts">
import { toRef } from 'vue'
import { bytes } from './bytes'
import { again, cancel, useComing } from './uploads'

// The files that are on their way to a case, or to what has papers.
const props = defineProps<{ of: string }>()
const coming = useComing(toRef(() => props.of))
</script>

<template>
  <ul v-if="coming.length" aria-label="Files on their way">
    <li v-for="c in coming" :key="c.id" data-testid="coming">
      <span class="name">{{ c.name }}</span>
      <progress v-if="c.state !== 'failed'" :value="c.sent" :max="c.bytes" :aria-label="`${c.name}, uploaded`" />
      <p
        class="sub small"
        :class="{ problem: c.state === 'failed' }"
        :role="c.state === 'failed' ? 'alert' : undefined"
      >
        <template v-if="c.state === 'failed'">{{ c.problem }}</template>
        <template v-else-if="c.state === 'waiting'">Waiting, {{ bytes(c.bytes) }}</template>
        <template v-else-if="c.state === 'broken'">The connection broke. Trying again…</template>
        <template v-else>{{ bytes(c.sent) }} of {{ bytes(c.bytes) }}</template>
        <template v-if="c.unfit"> · cannot be sent to the vendor: {{ c.unfit }}</template>
        <button v-if="c.state === 'failed' && c.again" class="linkish" type="button" @click="again(c)">
          Try again
        </button>
        <button class="linkish" type="button" :aria-label="`Cancel ${c.name}`" @click="cancel(c)">
          {{ c.state === 'failed' ? 'Remove' : 'Cancel' }}
        </button>
      </p>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.name {
  overflow-wrap: anywhere;
}
progress {
  display: block;
  width: 100%;
  height: 8px;
  accent-color: var(--primary);
}
.linkish {
  margin-left: 8px;
}
</style>
