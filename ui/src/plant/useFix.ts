/** A way to settle findings: looked at first, then done as one step. */
import { computed, shallowRef } from 'vue'
import { ask, api, type Schemas } from '../api/client'
import { usePlant } from './store'

export interface Looked {
  label: string
  source: string
  edits: Schemas['EditIn'][]
  does: Schemas['ChangedOut']
}

type Cells = { point: number; field: string; text: string }[]
const BEHIND_MS = 800

export function useFix() {
  const plant = usePlant()
  const looked = shallowRef<Looked | null>(null)
  const busy = shallowRef(false)

  /** Ask what some edits would do. rule: the one whose findings they settle. */
  async function look(rule: string, label: string, of: Cells, again = true): Promise<void> {
    const edits = of.map(({ point, field, text }) => ({
      point,
      field,
      was: plant.list.text(field, plant.list.row(point) ?? -1),
      text,
    }))
    const source = `fix ${rule}`
    busy.value = true
    const answer = await ask(
      api.POST('/api/proposals', { body: { edits, source, why: label, apply: false } }),
    )
    if (answer.problem?.status === 409 && again) {
      // Somebody's change was on its way here: with it the same is asked once more.
      await new Promise((done) => setTimeout(done, BEHIND_MS))
      return look(rule, label, of, false)
    }
    busy.value = false
    if (answer.problem) plant.say(answer.problem.title, 'bad')
    else looked.value = { label, source, edits, does: answer.data }
  }

  async function settle() {
    if (!looked.value) return
    const { edits, label, source } = looked.value
    looked.value = null
    busy.value = true
    if (!(await plant.save(edits, source))) plant.say(`done: ${label} · Ctrl+Z undoes it`)
    busy.value = false
  }
  const leave = () => (looked.value = null)
  const open = computed(() => looked.value !== null)
  return { looked, open, busy, look, settle, leave }
}
