/** The instruments that the plant keeps, read once and again after one was changed. */
import { defineStore } from 'pinia'
import { shallowRef } from 'vue'
import { ask, api, said, type Schemas } from '../api/client'

export type Instrument = Schemas['InstrumentOut']

export const useInstruments = defineStore('instruments', () => {
  const all = shallowRef<Instrument[]>([])
  const says = shallowRef('')

  async function load() {
    const answer = await ask(api.GET('/api/instruments'))
    if (answer.problem) says.value = said(answer.problem)
    else all.value = answer.data.instruments
  }

  /** Keep one under a name; says what is wrong with it, '' for nothing. */
  async function keep(name: string, body: Schemas['InstrumentIn']): Promise<string> {
    const answer = await ask(api.PUT('/api/instruments/{name}', { params: { path: { name } }, body }))
    if (!answer.problem) await load()
    return answer.problem ? said(answer.problem) : ''
  }

  async function takeAway(name: string): Promise<string> {
    const answer = await ask(api.DELETE('/api/instruments/{name}', { params: { path: { name } } }))
    if (!answer.problem) await load()
    return answer.problem ? said(answer.problem) : ''
  }

  const named = (name: string) => all.value.find((one) => one.name === name)
  return { all, says, load, keep, takeAway, named }
})

/** How long its calibration holds, in words. */
export function holds(one: Instrument): string {
  if (one.days === null || one.days === undefined) return 'nobody said until when it is calibrated'
  if (one.overdue) return `overdue since ${one.due}`
  return one.days < 31 ? `due in ${one.days} days, ${one.due}` : `due ${one.due}`
}
