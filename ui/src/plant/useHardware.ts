/** A change of hardware on its way: shown first with what it moves, then accepted or put back. One at a time. */
import { ref, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from './store'

export type Operation = { do: string } & Record<string, unknown>
export interface Draft {
  title: string
  operations: Operation[]
}

export function useHardware(done: () => void | Promise<void>) {
  const plant = usePlant()
  const draft = shallowRef<Draft | null>(null)
  const shown = shallowRef<Schemas['HardwareOut'] | null>(null)
  const says = ref('')
  const busy = ref(false)

  async function send(change: Draft, apply: boolean) {
    busy.value = true
    const answer = await ask(
      api.POST('/api/hardware', { body: { operations: change.operations, why: '', apply } }),
    )
    busy.value = false
    return answer
  }

  /** Ask what a change would do. Nothing is written. */
  async function propose(change: Draft) {
    if (!plant.may('engineer')) return plant.say('changing cabinets takes an engineer')
    draft.value = change
    shown.value = null
    says.value = ''
    const answer = await send(change, false)
    if (draft.value !== change) return
    if (answer.problem) says.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
    else shown.value = answer.data
  }

  async function accept() {
    const change = draft.value
    if (!change || busy.value) return
    const answer = await send(change, true)
    if (answer.problem) {
      says.value = [answer.problem.title, answer.problem.remedy].filter(Boolean).join(' · ')
      return
    }
    drop()
    plant.say(`${change.title}: done`)
    await done()
  }

  function drop() {
    draft.value = null
    shown.value = null
    says.value = ''
  }

  return { draft, shown, says, busy, propose, accept, drop }
}
