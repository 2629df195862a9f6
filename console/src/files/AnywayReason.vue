<script setup lang="ts">
import { NInput } from 'naive-ui'
import { attrs } from '../shared/attrs'

// Why something is sent that must not be.
defineProps<{ id: string }>()
const reason = defineModel<string>({ required: true })
</script>

<template>
  <div class="anyway">
    <label :for="id">Reason to send it anyway</label>
    <NInput
      v-model:value="reason"
      placeholder="Recorded on the case"
      :maxlength="1000"
      :input-props="attrs({ id, 'data-testid': id })"
    />
  </div>
</template>

<style scoped>
.anyway {
  width: 100%;
}
</style>
