<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { ref } from 'vue'
import { client, newKey, ok, Problem, words, type Schemas } from '../shared/api'

const emit = defineEmits<{ leave: [] }>()
const queries = useQueryClient()
const file = ref<{ name: string; text: string }>()
const read = ref<Schemas['PackRead']>()
const wrong = ref<{ field: string; detail: string }[]>([])
const problem = ref('')
const busy = ref(false)

async function ask(body: { dry_run: true } | { seen: string }) {
  busy.value = true
  problem.value = ''
  wrong.value = []
  try {
    read.value = await ok(
      client.POST('/packs', {
        params: { header: { 'Idempotency-Key': newKey() } },
        body: { pack: file.value!.text, ...body },
      }),
    )
    if (read.value.done)
      for (const key of ['vendors', 'vendor', 'calendars']) void queries.invalidateQueries({ queryKey: [key] })
  } catch (e) {
    if (e instanceof Problem && e.doc.errors?.length) wrong.value = e.doc.errors
    else if (e instanceof Problem && e.kind === 'stale') {
      await ask({ dry_run: true })
      problem.value =
        'The vendor or its calendars have changed in the meantime. These are the differences now: check them again.'
    } else problem.value = words(e)
  } finally {
    busy.value = false
  }
}
async function chosen(e: Event) {
  const f = (e.target as HTMLInputElement).files?.[0]
  read.value = undefined
  if (!f) return
  file.value = { name: f.name, text: await f.text() }
  await ask({ dry_run: true })
}
</script>

<template>
  <section class="panel sheet" aria-label="Import a vendor pack" data-testid="pack-reader">
    <label for="pack-file"
      ><b>Import a vendor pack</b
      ><span class="sub hint"
        >One YAML file, exported by this desk or another one. The differences are shown first; what concerns only us is
        kept.</span
      ></label
    >
    <input id="pack-file" type="file" accept=".yaml,.yml,application/yaml" data-testid="pack-file" @change="chosen" />
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <div v-if="wrong.length" class="problem" role="alert" data-testid="pack-wrong">
      <p>
        {{ file?.name }} has {{ wrong.length === 1 ? '1 mistake' : `${wrong.length} mistakes` }}; nothing was changed.
      </p>
      <ul>
        <li v-for="(w, i) in wrong" :key="i">
          <span class="mono">{{ w.field }}</span> {{ w.detail }}
        </li>
      </ul>
    </div>
    <template v-if="read">
      <p v-if="read.done" role="status" data-testid="pack-done">
        <RouterLink :to="`/vendors/${read.key}`">{{ read.name }}</RouterLink> is imported<template
          v-if="read.recalculated"
          >; {{ read.recalculated === 1 ? '1 case is' : `${read.recalculated} cases are` }} being recalculated</template
        >.
      </p>
      <p v-else-if="!read.differences.length" data-testid="pack-same">
        <b>{{ read.name }}</b> already matches the pack; there is nothing to do.
      </p>
      <p v-else-if="read.new">
        <b>{{ read.name }}</b> is new. This will be added:
      </p>
      <p v-else>
        <b>{{ read.name }}</b>:
        {{ read.differences.length === 1 ? '1 difference' : `${read.differences.length} differences` }}
      </p>
      <p v-for="d in read.doubts" :key="d" class="doubt small">Line {{ d }}</p>
      <div
        v-if="read.differences.length && !read.done"
        class="scroll"
        tabindex="0"
        role="region"
        aria-label="Differences"
      >
        <table>
          <thead>
            <tr class="small sub">
              <th scope="col">Field</th>
              <th v-if="!read.new" scope="col">Now</th>
              <th scope="col">{{ read.new ? 'Value' : 'Will be' }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(x, i) in read.differences" :key="i">
              <td class="what">{{ x.field.replaceAll('_', ' ') }}</td>
              <td v-if="!read.new">{{ x.was ?? '–' }}</td>
              <td>{{ x.will ?? '–' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-for="n in read.notes" :key="n" class="sub">{{ n }}</p>
    </template>
    <div class="row">
      <NButton
        v-if="read && !read.done && read.differences.length"
        type="primary"
        :loading="busy"
        data-testid="pack-keep"
        @click="ask({ seen: read.seen })"
        >{{ read.new ? 'Add vendor' : 'Apply changes' }}</NButton
      >
      <NButton data-testid="pack-leave" @click="emit('leave')">{{ read?.done ? 'Done' : 'Cancel' }}</NButton>
    </div>
  </section>
</template>

<style scoped>
.sheet {
  padding: 14px 16px;
  margin-bottom: 14px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.hint {
  display: block;
}
.scroll {
  max-height: 50vh;
  overflow: auto;
  border: 1px solid var(--line2);
}
table {
  width: 100%;
  border-collapse: collapse;
  min-width: 480px;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 5px 12px;
  position: sticky;
  top: 0;
  background: var(--panel);
}
td {
  padding: 5px 12px;
  border-top: 1px solid var(--line2);
  vertical-align: top;
  overflow-wrap: anywhere;
}
.what {
  width: 30%;
}
.doubt {
  color: var(--soon);
}
ul {
  margin: 6px 0 0;
  padding-left: 18px;
}
</style>
