<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'
import type { Delivery, Schemas } from '../shared/api'
import TimeText from '../shared/TimeText.vue'

defineProps<{ delivery: Delivery; may: boolean; byHand: boolean }>()
const emit = defineEmits<{ decide: [what: Schemas['Decision']['decision'], reference: string] }>()
const reference = ref('')
const decide = (what: Schemas['Decision']['decision']) => emit('decide', what, reference.value.trim())
</script>

<template>
  <div class="problem" data-testid="stuck">
    <p>
      <b
        >{{ delivery.step ? 'The step “' + delivery.step.replaceAll('-', ' ') + '”' : 'A message' }} has not arrived.</b
      >
      {{ delivery.problem }}
      <template v-if="delivery.next_at && !delivery.needs_person">
        It goes on by itself <TimeText :at="delivery.next_at" />.
      </template>
    </p>
    <div v-if="may && delivery.state !== 'under-way'" class="row acts">
      <NButton size="small" @click="decide('send-again')">
        Send again{{ delivery.state === 'unsure' ? ', though it may be a repeat' : '' }}
      </NButton>
      <template v-if="delivery.state !== 'refused'">
        <input
          v-if="delivery.step === 'file'"
          v-model="reference"
          class="native mono"
          placeholder="vendor reference"
          aria-label="Vendor reference"
        />
        <NButton size="small" @click="decide('arrived')">It has arrived</NButton>
      </template>
      <NButton v-if="byHand" size="small" data-testid="take-by-hand" @click="decide('send-yourself')">
        Send it yourself
      </NButton>
      <NButton size="small" @click="decide('dont-send')">Don't send</NButton>
    </div>
  </div>
</template>

<style scoped>
.problem {
  margin-top: 8px;
}
.acts {
  margin-top: 6px;
  flex-wrap: wrap;
}
.native {
  font-size: 12.5px;
  height: 26px;
  padding: 0 8px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--panel);
  color: var(--ink);
  width: 130px;
}
</style>
