/** The ways to settle some findings, each tried by the server before it is offered. */
import { shallowRef, watch } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import type { Finding } from './columns'
import { usePlant } from './store'

export type Way = Schemas['WayOut']
export type WayLeft = Schemas['WayLeftOut']
const MOST = 5000

export function useWays(findings: () => readonly Finding[]) {
  const plant = usePlant()
  const ways = shallowRef<readonly Way[]>([])
  const left = shallowRef<readonly WayLeft[]>([])
  const trying = shallowRef(false)
  let asked = 0

  async function tryThem(): Promise<void> {
    const some = findings().filter((finding) => finding.fixes.length)
    const mine = ++asked
    if (!some.length || !plant.may('edit')) {
      ways.value = left.value = []
      trying.value = false
      return
    }
    trying.value = true
    const keys = some.slice(0, MOST).map((finding) => finding.key)
    const answer = await ask(api.POST('/api/findings/ways', { body: { keys } }))
    // Whoever asked since is answered; an answer about other findings is none.
    if (mine !== asked) return
    trying.value = false
    ways.value = answer.problem ? [] : answer.data.ways
    left.value = answer.problem ? [] : answer.data.left
  }

  watch(
    () =>
      findings()
        .map((finding) => `${finding.key} ${finding.text}`)
        .join('\n'),
    tryThem,
    {
      immediate: true,
    },
  )
  return { ways, left, trying }
}
