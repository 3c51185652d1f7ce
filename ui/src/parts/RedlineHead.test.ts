import { createPinia, setActivePinia } from 'pinia'
import { createApp, h } from 'vue'
import { beforeEach, expect, test } from 'vitest'
import { usePlant } from '../plant/store'
import RedlineHead from './RedlineHead.vue'

beforeEach(() => setActivePinia(createPinia()))

const REVISION = {
  id: 3, mark: 'B', note: '', state: 'issued', who: 'ana', at: '2026-11-02T08:00:00+00:00', seq: 40, hash: 'a'.repeat(64),
  points: 293,
  signatures: [
    { meaning: 'checked', name: 'Eva Ferrer', who: 'eva', remark: 'seen at the cabinet', at: '2026-11-03T09:00:00+00:00', hash: 'b'.repeat(64) },
  ],
} // prettier-ignore

test('a redline on paper says the plant, the two states, the day, and every signature', () => {
  const plant = usePlant()
  plant.plant = { name: 'Vallroja Tileworks' } as never
  plant.session = { account: 'ana' } as never
  const box = document.createElement('div')
  const props = {
    was: 'revision A',
    becomes: 'revision B',
    revisions: [REVISION] as never,
    printed: '29.11.2026',
  }
  const app = createApp({ render: () => h(RedlineHead, props) })
  app.mount(box)
  const text = box.textContent ?? ''
  for (const word of [
    'Vallroja Tileworks',
    'revision A → revision B',
    '29.11.2026',
    'Eva Ferrer (eva)',
    'seen at the cabinet',
  ])
    expect(text).toContain(word)
  expect(box.querySelectorAll('tbody tr')).toHaveLength(2)
  app.unmount()
})
