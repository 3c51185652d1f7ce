import { nextTick } from 'vue'
import { afterEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
import { answering, button, cleared, mounted, plantOf, sent, typed } from '../testing/mounted'
import TemporaryPage from './TemporaryPage.vue'

afterEach(cleared)

const ENTRY = { id: 4, at: '2026-11-29T08:00:00Z', kind: 'jumper', point: 11, what: 'X1:9 to X1:10', why: 'damper test', who: 'ana', due: null, ended_at: null, ended_by: '', how: '' } // prettier-ignore

async function page(rights?: string[]) {
  const plant = plantOf(rights)
  plant.list.show([[11, 'trips', 'fan']])
  plant.temporary = [ENTRY] as never
  const asked = answering({
    'GET /api/temporary': { open: [ENTRY], ended: [] },
    'POST /api/temporary/{number}/end': { released: 1, failed: [] },
  })
  return { box: await mounted(TemporaryPage), asked }
}
const how = (box: HTMLElement) => box.querySelector<HTMLInputElement>('[aria-label="how it was put back"]')
const esc = (at: EventTarget) =>
  at.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape', bubbles: true, cancelable: true }))

test('what is open is told with what it can trip, and Esc shuts the small form, from its field and from outside', async () => {
  const { box } = await page()
  expect(box.textContent).toContain('PT-3107')
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

test('it is put back with how', async () => {
  const { box, asked } = await page()
  button(box, 'put back…')!.click()
  await nextTick()
  await typed(how(box)!, 'jumper taken out, damper tried')
  await sent(box)
  expect(asked.at(-1)!.body).toMatchObject({ why: 'jumper taken out, damper tried' })
})

test('who may only look is offered nothing to end', async () => {
  const { box } = await page(['look'])
  expect(usePlant().may('edit')).toBe(false)
  expect(button(box, 'put back…')).toBeUndefined()
  expect(box.textContent).toContain('damper test')
})
