<script setup lang="ts">
import { ElButton, ElForm, ElFormItem, ElInput } from 'element-plus'
import { computed, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { LEAST_PASSWORD } from '@fennip/core/accounts.js'
import { ProblemError } from '@fennip/core/problem.js'
import { api } from '../shared/api.js'
import { useSession } from './session.js'

/** Signing in; where nobody has an account yet, making the first. */
const session = useSession()
const route = useRoute()
const router = useRouter()
const isFirst = computed(() => session.session?.isFirst === true)
const name = ref('')
const password = ref('')
const code = ref('')
const problem = ref('')
const isBusy = ref(false)
const nameField = ref<InstanceType<typeof ElInput>>()
onMounted(() => nameField.value?.focus())
const isReady = computed(() => name.value.trim() !== '' && password.value.length >= (isFirst.value ? LEAST_PASSWORD : 1) && (!isFirst.value || code.value.trim() !== ''))

async function submit(): Promise<void> {
  isBusy.value = true
  try {
    if (isFirst.value) await api.addAccount({ name: name.value, password: password.value, role: 'owner', code: code.value.trim() })
    await session.signIn(name.value, password.value)
    const next = String(route.query.next ?? '/')
    // Only a place of this application: an address of another could be slipped in.
    await router.replace(next.startsWith('/') && !next.startsWith('//') ? next : '/')
  } catch (error) {
    problem.value = error instanceof ProblemError ? `${error.title}. ${error.detail}` : String(error)
  } finally {
    isBusy.value = false
  }
}
</script>

<template>
  <div class="top-bar"><span class="brand">Fennip</span><span class="soft">Sign in</span></div>
  <main tabindex="-1" data-home>
    <h1>{{ isFirst ? 'Make the first account' : 'Sign in' }}</h1>
    <p v-if="isFirst" class="soft">Nobody has an account here yet. The first is an owner's, and is made with the code that the server wrote to its terminal when it started.</p>
    <p v-else class="soft">This Fennip is open to a network. An owner of it gives accounts.</p>
    <ElForm label-position="top" @submit.prevent="submit">
      <ElFormItem label="Name" for="sign-in-name"><ElInput id="sign-in-name" ref="nameField" v-model="name" autocomplete="username" maxlength="100" data-test="sign-in-name" /></ElFormItem>
      <ElFormItem :label="isFirst ? `Password, at least ${LEAST_PASSWORD} characters` : 'Password'" for="sign-in-password"><ElInput id="sign-in-password" v-model="password" type="password" show-password :autocomplete="isFirst ? 'new-password' : 'current-password'" maxlength="200" data-test="sign-in-password" /></ElFormItem>
      <ElFormItem v-if="isFirst" label="Code from the terminal" for="sign-in-code"><ElInput id="sign-in-code" v-model="code" inputmode="numeric" maxlength="20" data-test="sign-in-code" /></ElFormItem>
      <p v-if="problem" class="shows" role="alert" data-test="sign-in-problem">{{ problem }}</p>
      <ElButton type="primary" native-type="submit" :disabled="!isReady || isBusy" data-test="sign-in">{{ isFirst ? 'Make it and sign in' : 'Sign in' }}</ElButton>
    </ElForm>
  </main>
</template>

<style scoped>
main { max-width: 360px; margin: 60px auto; padding: 0 24px; }
h1 { margin: 0 0 4px; font-size: 20px; }
p { margin: 0 0 16px; }
</style>
