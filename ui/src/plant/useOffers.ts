/**
 * What is offered in a cell being typed into: the field's own choices at once, and what depends on the point when the
 * server has said it: free channels, modes of its module, units of its quantity, the device's own range.
 */
import { shallowRef, watch } from 'vue'
import { api, ask, type Schemas } from '../api/client'
import { latest } from './latest'

type Field = Pick<Schemas['FieldOut'], 'name' | 'kind' | 'choices'>

export interface Offer {
  text: string
  says?: string
  fits?: boolean
}

const ASKED_KINDS = new Set(['address', 'mode', 'unit', 'filter'])
const ASKED = new Set(['value_low', 'value_high', 'open_action'])

/** Whether what a field may be depends on its point. */
const depends = (field: Field) => ASKED_KINDS.has(field.kind) || ASKED.has(field.name)

/** cell: the one being typed into, null while there is none. */
export function useOffers(cell: () => { point: number; field: Field } | null) {
  const offers = shallowRef<readonly Offer[]>([])

  const read = latest(async (point: number, name: string) => {
    const answer = await ask(
      api.GET('/api/points/{point}/offers/{field}', { params: { path: { point, field: name } } }),
    )
    const now = cell()
    if (answer.data && now?.point === point && now.field.name === name) offers.value = answer.data.offers
  })

  watch(
    () => {
      const now = cell()
      return now && `${now.point} ${now.field.name}`
    },
    () => {
      const now = cell()
      offers.value =
        now && !ASKED_KINDS.has(now.field.kind) ? now.field.choices.map((text) => ({ text })) : []
      if (now && now.point > 0 && depends(now.field)) void read(now.point, now.field.name)
    },
    { immediate: true },
  )
  return offers
}
