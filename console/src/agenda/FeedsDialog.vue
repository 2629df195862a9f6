<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { NButton, NInput } from 'naive-ui'
import { ref } from 'vue'
import { client, newKey, ok, words } from '../shared/api'
import { attrs } from '../shared/attrs'
import CopyButton from '../shared/CopyButton.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { useSending } from '../shared/sending'
import TimeText from '../shared/TimeText.vue'
import { label } from '../shared/words'
import { useVendors } from '../vendors/queries'

// The addresses under which calendar programs follow the desk; a new one is shown once.
const emit = defineEmits<{ leave: [] }>()
const queries = useQueryClient()
const vendors = useVendors()
const { data, error } = useQuery({ queryKey: ['feeds'], queryFn: () => ok(client.GET('/agenda-feeds')) })
const { busy, problem, send } = useSending()
const name = ref('')
const whose = ref('mine')
const made = ref('')
async function make() {
  const done = await send(async () => {
    const f = await ok(
      client.POST('/agenda-feeds', {
        params: { header: { 'Idempotency-Key': newKey() } },
        body: {
          name: name.value.trim(),
          ...(whose.value === 'mine' && { mine: true }),
          ...(whose.value.startsWith('vendor:') && { vendor: whose.value.slice(7) }),
        },
      }),
    )
    made.value = location.origin + f.path
  })
  if (done) name.value = ''
  void queries.invalidateQueries({ queryKey: ['feeds'] })
}
async function end(id: number) {
  await send(() => ok(client.DELETE('/agenda-feeds/{feed}', { params: { path: { feed: id } } })))
  void queries.invalidateQueries({ queryKey: ['feeds'] })
}
</script>

<template>
  <DialogFrame name="feeds-dialog" title="Subscribe from a calendar program" size="middle" @leave="emit('leave')">
    <p class="sub">
      A calendar program follows a secret address. Anyone who has it can read what you may see, so keep it to yourself,
      and end it here when you no longer use it.
    </p>
    <form class="row new" @submit.prevent="make">
      <label class="hide" for="feed-name">Which program</label>
      <NInput
        v-model:value="name"
        placeholder="Which program, such as My phone"
        :input-props="attrs({ id: 'feed-name', maxlength: 200, 'data-testid': 'feed-name' })"
      />
      <label class="hide" for="feed-whose">Which calendar</label>
      <select id="feed-whose" v-model="whose" class="in whose" data-testid="feed-whose">
        <option value="mine">My calendar</option>
        <option value="desk">{{ label('FeedPart', 'desk') }}</option>
        <option v-for="v in vendors.data.value?.items ?? []" :key="v.key" :value="`vendor:${v.key}`">
          {{ v.name }}
        </option>
      </select>
      <NButton type="primary" attr-type="submit" :loading="busy" :disabled="!name.trim()" data-testid="feed-make"
        >Make an address</NButton
      >
    </form>
    <div v-if="made" class="made" data-testid="feed-made">
      <p>
        <span class="mono">{{ made }}</span><CopyButton :value="made" what="the address" />
      </p>
      <p class="sub small">It is not shown again.</p>
    </div>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
    <ul v-if="data?.items.length">
      <li v-for="f in data.items" :key="f.id" class="row" data-testid="feed">
        <span class="grow"
          ><b>{{ f.name }}</b> <span class="sub">{{ f.of ?? label('FeedPart', f.whose) }}</span><br /><span
            class="sub small"
            >made <TimeText :at="f.made_at" /> ·
            <template v-if="f.read_at">last read <TimeText :at="f.read_at" /></template
            ><template v-else>not read yet</template></span
          ></span
        >
        <NButton size="small" :disabled="busy" :data-testid="`end-${f.id}`" @click="end(f.id)">End</NButton>
      </li>
    </ul>
    <p v-else-if="data" class="sub">No subscriptions yet.</p>
    <div class="row far"><NButton @click="emit('leave')">Close</NButton></div>
  </DialogFrame>
</template>

<style scoped>
.new {
  flex-wrap: wrap;
  margin-top: 10px;
}
.new > :first-of-type {
  flex: 1 1 200px;
}
.whose {
  width: auto;
}
.made {
  margin-top: 10px;
  padding: 8px 12px;
  border-left: 3px solid var(--brass);
  background: var(--soon-bg);
  overflow-wrap: anywhere;
}
.made p {
  margin: 0;
}
ul {
  list-style: none;
  margin: 12px 0 0;
  padding: 0;
}
li {
  padding: 7px 0;
  border-top: 1px solid var(--line2);
}
.grow {
  flex: 1 1 auto;
}
</style>
