<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useDraftHere } from './draft'
import { called, flat, said } from './merge'

// What two people changed in one draft at once: the page keeps mine until one of us decides.
const d = useDraftHere()
const short = (s: string) => (s.length > 160 ? s.slice(0, 160) + '…' : s)
const mine = (field: string) => short(said(field, flat(d.form)[field]))
</script>

<template>
  <section v-if="d.clashes.length" class="panel" role="alert" data-testid="clashes">
    <h2>Somebody else changed this draft at the same time</h2>
    <div v-for="c in d.clashes" :key="c.field" class="clash">
      <b>{{ called(c.field, d.draft) }}</b>
      <p><span class="sub">Their version:</span> {{ short(said(c.field, c.theirs, d.draft)) }}</p>
      <p><span class="sub">Your version:</span> {{ mine(c.field) }}</p>
      <div class="row">
        <NButton size="small" :data-testid="`mine-${c.field}`" @click="d.decide(c.field, true)"
          >Keep your version</NButton
        >
        <NButton size="small" :data-testid="`theirs-${c.field}`" @click="d.decide(c.field, false)"
          >Use their version</NButton
        >
      </div>
    </div>
    <p class="sub small">Everything else is merged. These fields are not saved until you choose.</p>
  </section>
</template>

<style scoped>
section {
  padding: 12px 16px;
  margin-bottom: 12px;
}
.clash {
  padding: 8px 0;
  border-bottom: 1px solid var(--line2);
}
.clash p {
  overflow-wrap: anywhere;
  white-space: pre-line;
}
.row {
  margin-top: 6px;
  gap: 8px;
}
</style>
