/**
 * The empty last row of the list. What is typed there waits, also over a reload, until it has a tag: then it is a point.
 *
 *     const fresh = useFreshRow(); const point = await fresh.put('tag', 'PT-3108')
 */
import { useLocalStorage } from '@vueuse/core'
import { api, ask, said } from '../api/client'
import { usePlant } from '../plant/store'

export function useFreshRow() {
  const plant = usePlant()
  const draft = useLocalStorage<Record<string, string>>(
    `canaleta-new-row-${plant.session?.account ?? ''}`,
    {},
  )

  /** Take a text for one of its cells. Returns the point that was made, if it has a tag by now. */
  async function put(field: string, text: string): Promise<number | undefined> {
    const next = { ...draft.value, [field]: text.trim() }
    draft.value = Object.fromEntries(Object.entries(next).filter(([, typed]) => typed))
    if (!draft.value.tag) return undefined
    const cells = draft.value
    // Free for the next one at once: whoever types a column of tags does not wait.
    draft.value = {}
    const answer = await ask(
      api.POST('/api/points', {
        body: { count: 0, rows: [cells], cells: {}, like: null, typical: '', apply: true },
      }),
    )
    if (answer.problem) {
      draft.value = { ...cells, ...draft.value }
      plant.say(`${cells.tag} was not made: ${said(answer.problem)}`, 'bad')
      return undefined
    }
    plant.answered(answer.data, [])
    const left = answer.data.left ?? []
    if (left.length)
      plant.leftOut(
        left,
        left.map((cell) => ({ ...cell, was: '', text: cell.typed })),
      )
    else plant.say(`${cells.tag} made`, 'plain', { undo: true })
    return answer.data.change?.added?.[0]?.id
  }

  return { draft, put }
}
