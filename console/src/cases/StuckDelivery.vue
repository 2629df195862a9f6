<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'
import type { Delivery, Schemas } from '../shared/api'
import { label, whatItIs } from '../shared/words'
import TimeText from '../shared/TimeText.vue'

defineProps<{ delivery: Delivery; may: boolean; byPerson: boolean }>()
const emit = defineEmits<{ decide: [what: Schemas['Decision']['decision'], reference: string] }>()
const reference = ref('')
const said = ref('')
const decide = (what: Schemas['Decision']['decision']) =>
  emit('decide', what, what === 'refused' ? said.value.trim() : reference.value.trim())
</script>

<template>
  <div class="problem" data-testid="stuck">
    <p>
      <b
        >{{ label(...whatItIs(delivery))
        }}<template v-if="delivery.only_files">
          {{ delivery.files?.map((f) => f.name ?? f.number).join(', ') }}</template
        >: {{ label('DeliveryState', delivery.state) }}.</b
      >
      {{ delivery.problem }}
      <template v-if="delivery.next_at && !delivery.needs_person">
        It is tried again <TimeText :at="delivery.next_at" />.
      </template>
    </p>
    <div v-if="may && delivery.state !== 'under-way'" class="row acts">
      <NButton size="small" @click="decide('send-again')">
        {{ label('Decision.decision', 'send-again') }}{{ delivery.state === 'unsure' ? ' (may be a repeat)' : '' }}
      </NButton>
      <template v-if="delivery.state !== 'refused'">
        <input
          v-if="delivery.step === 'file'"
          v-model="reference"
          class="native mono"
          placeholder="Vendor reference"
          aria-label="Vendor reference"
        />
        <NButton size="small" @click="decide('arrived')">{{ label('Decision.decision', 'arrived') }}</NButton>
      </template>
      <NButton v-if="byPerson" size="small" data-testid="send-yourself" @click="decide('send-yourself')">
        {{ label('Decision.decision', 'send-yourself') }}
      </NButton>
      <template v-if="delivery.state !== 'refused' && ['reopen', 'dispute'].includes(delivery.step ?? '')">
        <input
          v-model="said"
          class="native"
          placeholder="What they said"
          aria-label="What they said"
          maxlength="1000"
        />
        <NButton size="small" :disabled="!said.trim()" @click="decide('refused')">{{
          label('Decision.decision', 'refused')
        }}</NButton>
      </template>
      <NButton size="small" @click="decide('dont-send')">{{ label('Decision.decision', 'dont-send') }}</NButton>
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
