import { afterEach, expect, test } from 'vitest'
import { defineComponent, h, ref, shallowRef } from 'vue'
import type { Offer } from '../plant/useOffers'
import { cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import CellEditor from './CellEditor.vue'

afterEach(cleared)

async function editor(text: string, offers: Offer[]) {
  plantOf()
  const now = ref(text)
  const given = shallowRef<Offer[]>(offers)
  const done: string[] = []
  const host = defineComponent(
    () => () =>
      h(CellEditor, {
        modelValue: now.value,
        offers: given.value,
        label: 'INPUT channel',
        selectAll: true,
        'onUpdate:modelValue': (next: string) => (now.value = next),
        onDone: (where: string) => done.push(where),
        onLeave: () => done.push('left'),
      }),
  )
  const box = await mounted(host)
  const input = box.querySelector('input')!
  const press = async (key: string, more = {}) => {
    input.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more }))
    await settled()
  }
  const options = () => [...box.querySelectorAll('[role=option]')].map((o) => o.textContent!.replace(/\s+/g, ' ').trim()) // prettier-ignore
  return { now, given, done, input, press, options }
}
const FREE: Offer[] = [
  { text: 'KC-2·1·2·6', says: 'AI-8 U/I, 4–20 mA', fits: true },
  { text: 'KC-2·1·5·4', says: 'nobody feeds the loop', fits: false },
]

test('what is offered says what it is; the arrow chooses and Enter takes', async () => {
  const { now, done, press, options } = await editor('', FREE)
  expect(options()[1]).toBe('KC-2·1·5·4 · nobody feeds the loop')
  await press('ArrowDown')
  await press('ArrowDown')
  await press('Enter')
  expect([now.value, done]).toEqual(['KC-2·1·5·4', ['down']])
})

test('Enter and Tab take what was typed, and no offer that nobody chose', async () => {
  const { now, done, input, press } = await editor('', FREE)
  await typed(input, 'KC-2·1·2')
  await press('Tab', { shiftKey: true })
  expect([now.value, done]).toEqual(['KC-2·1·2', ['left']])
})

test('typing narrows what is offered, whatever dots and case are typed', async () => {
  const { input, options } = await editor('', FREE)
  await typed(input, 'kc2 1 5')
  expect(options()).toEqual(['KC-2·1·5·4 · nobody feeds the loop'])
})

test('the arrow that was pressed before anything was offered means the first that comes', async () => {
  const { now, given, press } = await editor('', [])
  await press('ArrowDown')
  given.value = FREE
  await settled()
  await press('Enter')
  expect(now.value).toBe('KC-2·1·2·6')
})

test('what stands there stays marked when more is offered', async () => {
  const { now, given, press } = await editor('KC-2·1·2·6', [])
  given.value = [{ text: 'KC-1·1·1·1' }, ...FREE]
  await settled()
  await press('Enter')
  expect(now.value).toBe('KC-2·1·2·6')
})
