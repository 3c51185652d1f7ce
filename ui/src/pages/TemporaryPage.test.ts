import { createPinia, setActivePinia } from 'pinia'
import { createApp, h, nextTick } from 'vue'
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { api } from '../api/client'
import { usePlant } from '../plant/store'
import TemporaryPage from './TemporaryPage.vue'

let unmount: (() => void) | undefined
beforeEach(() => {
  setActivePinia(createPinia())
  vi.spyOn(api, 'GET').mockResolvedValue({ data: { open: [], ended: [] }, response: new Response() } as never)
})
afterEach(() => {
  unmount?.()
  vi.restoreAllMocks()
  document.body.innerHTML = ''
})

const ENTRY = { id: 4, at: '2026-11-29T08:00:00Z', kind: 'jumper', point: 11, what: 'X1:9 to X1:10', why: 'damper test', who: 'ana', due: null, ended_at: null, ended_by: '', how: '' } // prettier-ignore

async function page() {
  const plant = usePlant()
  plant.plant = { racks: [], fields: [], families: {} } as never
  plant.session = { account: 'ana', role: 'technician', rights: ['look', 'edit', 'inject'] } as never
  plant.list.load({ seq: 5, ids: [11], racks: [1], columns: { tag: ['PSL-3103'], trips: ['fan'] } })
  plant.temporary = [ENTRY] as never
  const box = document.createElement('div')
  document.body.append(box)
  const app = createApp({ render: () => h(TemporaryPage) })
  app.use(createRouter({ history: createMemoryHistory(), routes: [{ path: '/:any(.*)*', name: 'any', component: { render: () => null } }] })) // prettier-ignore
  app.mount(box)
  unmount = () => app.unmount()
  await nextTick()
  return box
}
const button = (box: HTMLElement, text: string) =>
  [...box.querySelectorAll('button')].find((b) => b.textContent?.trim() === text)
const how = (box: HTMLElement) => box.querySelector<HTMLInputElement>('[aria-label="how it was put back"]')
const esc = (at: EventTarget) =>
  at.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }))

test('what is open is told with what it can trip, and Esc shuts the small form, from its field and from outside', async () => {
  const box = await page()
  expect(box.textContent).toContain('PSL-3103')
  expect(box.textContent).toContain('▲ it fan')
  for (const from of ['its field', 'outside']) {
    button(box, 'put back…')!.click()
    await nextTick()
    const field = how(box)!
    field.focus()
    esc(from === 'outside' ? document.body : field)
    await nextTick()
    expect(how(box), from).toBeNull()
    expect(button(box, 'put back…'), from).toBeTruthy()
  }
})

test('who may only look is offered nothing to end', async () => {
  const box = await page()
  usePlant().session = { account: 'eva', role: 'reader', rights: ['look'] } as never
  await nextTick()
  expect(button(box, 'put back…')).toBeUndefined()
  expect(box.textContent).toContain('damper test')
})
