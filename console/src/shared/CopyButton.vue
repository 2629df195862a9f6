<script setup lang="ts">
import { useCopy } from './copy'

// what is said after "Copy" to those who do not see what stands before the button.
defineProps<{ value: string; what: string }>()
const { copied, refused, copy } = useCopy()
</script>

<template>
  <button class="linkish small copy" type="button" :aria-label="`Copy ${what}`" data-testid="copy" @click="copy(value)">
    {{ copied ? 'Copied' : 'Copy' }}</button><span class="hide" role="status">{{ copied ? `${what} copied` : '' }}</span
  ><span v-if="refused" class="sub small" role="alert"> The browser does not allow copying: select it instead.</span>
</template>

<style scoped>
.copy {
  margin-left: 8px;
  font-family: inherit;
}
</style>
