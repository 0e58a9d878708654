<script setup lang="ts">
import { ElButton, ElDialog, ElDropdown, ElDropdownItem, ElDropdownMenu, ElInput, ElMessage, ElOption, ElSelect, ElTable, ElTableColumn } from 'element-plus'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { LEAST_PASSWORD, type Account } from '@fennip/core/accounts.js'
import { ProblemError } from '@fennip/core/problem.js'
import { api } from '../shared/api.js'
import { useSession } from './session.js'

/** Who is signed in, and what they can do about accounts. Nothing on loopback, where nobody signs in. */
const session = useSession()
const router = useRouter()
const accounts = ref<Account[]>([])
const shown = ref<'accounts' | 'password' | null>(null)
const name = ref('')
const password = ref('')
const newPassword = ref('')
const role = ref<Account['role']>('viewer')
const ROLE_WORDS = { owner: 'Owner: may change everything', viewer: 'Viewer: may look' } as const

async function attempt(act: () => Promise<unknown>, done?: string): Promise<void> {
  try {
    await act()
    if (done) ElMessage.success(done)
  } catch (error) {
    ElMessage.error(error instanceof ProblemError ? `${error.title}. ${error.detail}` : String(error))
  }
}
const load = async () => (accounts.value = (await api.accounts()).accounts)
async function chosen(what: 'accounts' | 'password' | 'out'): Promise<void> {
  if (what === 'out') {
    await attempt(() => session.signOut())
    await router.push('/sign-in')
    return
  }
  if (what === 'accounts') await attempt(load)
  password.value = newPassword.value = ''
  shown.value = what
}
const add = () => attempt(async () => {
  await api.addAccount({ name: name.value, password: newPassword.value, role: role.value })
  name.value = newPassword.value = ''
  await load()
}, 'The account is made. Tell its password by a safe way.')
const remove = (account: Account) => attempt(async () => {
  await api.removeAccount(account.id)
  await load()
})
const change = () => attempt(async () => {
  await api.changePassword(password.value, newPassword.value)
  shown.value = null
}, 'The password is changed.')
</script>

<template>
  <template v-if="session.account">
    <ElDropdown trigger="click" @command="chosen">
      <ElButton size="small" data-test="account">{{ session.account.name }}</ElButton>
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem v-if="session.mayChange" command="accounts" data-test="accounts">Accounts</ElDropdownItem>
          <ElDropdownItem command="password">Change my password</ElDropdownItem>
          <ElDropdownItem command="out" data-test="sign-out">Sign out</ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
    <ElDialog :model-value="shown === 'accounts'" title="Accounts" width="560px" @close="shown = null">
      <ElTable :data="accounts" size="small">
        <ElTableColumn prop="name" label="Name" />
        <ElTableColumn label="May"><template #default="{ row }">{{ row.role === 'owner' ? 'look and change' : 'look' }}</template></ElTableColumn>
        <ElTableColumn width="90" align="right"><template #default="{ row }"><ElButton v-if="row.id !== session.account?.id" size="small" :aria-label="`Remove ${row.name}`" @click="remove(row as Account)">Remove</ElButton></template></ElTableColumn>
      </ElTable>
      <form class="form" @submit.prevent="add">
        <label>Name<ElInput v-model="name" autocomplete="off" maxlength="100" data-test="account-name" /></label>
        <label>Password, at least {{ LEAST_PASSWORD }} characters<ElInput v-model="newPassword" type="password" autocomplete="new-password" show-password data-test="account-password" /></label>
        <label>Role<ElSelect v-model="role" :teleported="false"><ElOption v-for="(words, value) in ROLE_WORDS" :key="value" :value="value" :label="words" /></ElSelect></label>
        <ElButton type="primary" native-type="submit" :disabled="name.trim() === '' || newPassword.length < LEAST_PASSWORD" data-test="add-account">Make the account</ElButton>
      </form>
    </ElDialog>
    <ElDialog :model-value="shown === 'password'" title="Change my password" width="380px" @close="shown = null">
      <form class="form" @submit.prevent="change">
        <label>Present password<ElInput v-model="password" type="password" autocomplete="current-password" show-password /></label>
        <label>New password, at least {{ LEAST_PASSWORD }} characters<ElInput v-model="newPassword" type="password" autocomplete="new-password" show-password /></label>
        <ElButton type="primary" native-type="submit" :disabled="password === '' || newPassword.length < LEAST_PASSWORD">Change it</ElButton>
      </form>
    </ElDialog>
  </template>
</template>
