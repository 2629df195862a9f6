<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { client, newKey, unclear, whole, words, type Case } from '../shared/api'
import { attrs } from '../shared/attrs'
import { refresh } from '../shared/queries'
import LeavingCheck from '../files/LeavingCheck.vue'
import DialogFrame from '../shared/DialogFrame.vue'
import { useAccountOptions, useContractOptions } from '../register/things'
import { useVendorOptions } from '../vendors/queries'

// Withdraws a case that was filed under the wrong account or contract, or with the wrong vendor, and files it again.
const props = defineProps<{ view: Case; etag: string }>()
const emit = defineEmits<{ leave: [] }>()
const router = useRouter()
const queries = useQueryClient()
const vendor = ref(props.view.line.vendor_key)
const account = ref<number | null>(props.view.account_id ?? null)
const contract = ref<number | null>(props.view.contract_id ?? null)
const disclose = ref('')
const stopped = ref(false)
const reason = ref('This was filed under the wrong account. We are filing it again under the right one.')
const busy = ref(false)
const problem = ref('')
let key = newKey()

const vendorOptions = useVendorOptions()
const accountOptions = useAccountOptions(vendor)
const contractOptions = useContractOptions(vendor)
watch(vendor, () => (account.value = contract.value = null))
const elsewhere = computed(
  () =>
    vendor.value !== props.view.line.vendor_key ||
    (account.value && account.value !== props.view.account_id) ||
    (contract.value && contract.value !== props.view.contract_id),
)

async function go() {
  busy.value = true
  problem.value = ''
  const other = <T,>(now: T | null, was: T | undefined) => (now && now !== was ? now : undefined)
  try {
    const done = await whole(
      client.POST('/cases/{case}/refiling', {
        params: {
          path: { case: props.view.line.number },
          header: { 'If-Match': props.etag, 'Idempotency-Key': key },
        },
        body: {
          reason: reason.value.trim(),
          disclose_reason: disclose.value.trim() || undefined,
          vendor: other(vendor.value, props.view.line.vendor_key),
          account: other(account.value, props.view.account_id),
          contract: other(contract.value, props.view.contract_id),
        },
      }),
    )
    refresh(queries, props.view.line.number)
    emit('leave')
    const { number, state } = done.data.line
    await router.push(state === 'draft' && !done.data.on_the_way.length ? `/open/${number}` : `/cases/${number}`)
  } catch (e) {
    problem.value = words(e)
    if (!unclear(e)) key = newKey() // else the same key finds out whether it was done
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <DialogFrame name="refile-dialog" title="File again elsewhere" size="middle" @leave="emit('leave')">
    <form @submit.prevent="go">
      <p class="sub">
        {{ view.line.vendor }} is told that {{ view.line.number }} is withdrawn, and the case is filed again under what
        you choose here. Each of the two cases refers to the other.
      </p>
      <div class="field">
        <label>Vendor</label
        ><NSelect
          v-model:value="vendor"
          filterable
          :options="vendorOptions"
          :input-props="attrs({ 'aria-label': 'Vendor' })"
          data-testid="refile-vendor"
        />
      </div>
      <div class="field">
        <label>Account</label
        ><NSelect
          v-model:value="account"
          clearable
          :options="accountOptions"
          placeholder="None"
          :input-props="attrs({ 'aria-label': 'Account' })"
          data-testid="refile-account"
          :menu-props="attrs({ 'data-testid': 'refile-account-menu' })"
          :node-props="(o) => attrs({ 'data-testid': 'refile-account-opt-' + o.value })"
        />
      </div>
      <div class="field">
        <label>Contract</label
        ><NSelect
          v-model:value="contract"
          clearable
          :options="contractOptions"
          placeholder="The one in force"
          :input-props="attrs({ 'aria-label': 'Contract' })"
          data-testid="refile-contract"
        />
      </div>
      <div class="field">
        <label for="refile-reason">Message to the vendor</label>
        <NInput
          v-model:value="reason"
          type="textarea"
          :autosize="{ minRows: 2, maxRows: 8 }"
          :input-props="attrs({ id: 'refile-reason', 'data-testid': 'refile-reason' })"
        />
        <LeavingCheck
          v-model:reason="disclose"
          :text="reason"
          @mask="(t) => (reason = t)"
          @stopped="(x) => (stopped = x)"
        />
      </div>
      <p v-if="problem" class="problem above" role="alert">{{ problem }}</p>
      <div class="row far">
        <NButton
          type="primary"
          attr-type="submit"
          :loading="busy"
          :disabled="!elsewhere || !reason.trim() || stopped"
          data-testid="refile-go"
          >Withdraw and file again</NButton
        >
        <NButton @click="emit('leave')">Cancel</NButton>
      </div>
    </form>
  </DialogFrame>
</template>
