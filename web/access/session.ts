import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import { api, type Session } from '../shared/api.js'

/** Who is signed in at this browser. On loopback nobody has to. */
export const useSession = defineStore('session', () => {
  const session = shallowRef<Session | null>(null)
  const account = computed(() => session.value?.account ?? null)
  /** Whether this browser may change things. */
  const mayChange = computed(() => session.value?.required !== true || account.value?.role === 'owner')
  const mustSignIn = computed(() => session.value?.required === true && account.value === null)

  async function load(): Promise<void> {
    session.value = await api.session()
  }
  async function signIn(name: string, password: string): Promise<void> {
    await api.signIn(name, password)
    await load()
  }
  async function signOut(): Promise<void> {
    await api.signOut()
    await load()
  }
  return { session, account, mayChange, mustSignIn, load, signIn, signOut }
})
