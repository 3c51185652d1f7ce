import { afterEach, expect, test, vi } from 'vitest'
import { button, cleared, mounted, plantOf } from '../../testing/mounted'
import ChangePreview from './ChangePreview.vue'

afterEach(cleared)

const NOTHING = {
  renumbered_count: 0,
  renumbered: [],
  freed: [],
  moved_count: 0,
  moved: [],
  opened: [],
  closed: 0,
}
const ADDRESS = { point: 11, tag: 'PT-3107', was: 'KC-2 1 1 1', becomes: 'KC-2 1 2 1', register_was: 0, register_now: 8 } // prettier-ignore

async function preview(shown: object | null, more: Record<string, unknown> = {}) {
  plantOf()
  return mounted(ChangePreview, { title: 'move AI8-UI', shown, says: '', busy: false, ...more })
}
const words = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a change that moves nothing says that', async () => {
  expect(words(await preview(NOTHING))).toContain('no address changes, and no value moves')
})

test('every address that changes is told with its registers', async () => {
  const box = await preview({ ...NOTHING, renumbered_count: 1, renumbered: [ADDRESS] })
  expect(words(box)).toContain('1 address changes')
  expect(words(box)).toContain('PT-3107KC-2 1 1 1 → KC-2 1 2 1 registers from 0 → 8')
})

test('of very many the first are shown and the rest are counted', async () => {
  const many = Array.from({ length: 60 }, (_, k) => ({ ...ADDRESS, point: k }))
  expect(words(await preview({ ...NOTHING, renumbered_count: 293, renumbered: many }))).toContain(
    'and 233 more',
  )
})

test('points that lose their channel, values that move and findings that come are told', async () => {
  const box = await preview({
    ...NOTHING,
    freed: ['PT-3107', 'TE-2101'],
    moved_count: 1,
    moved: [{ point: 11, tag: 'PT-3107', at: '12 mA', was: '300.0 mbar', becomes: '250.0 mbar' }],
    opened: ['PT-3107: counts of another make'],
    closed: 2,
  })
  expect(words(box)).toContain('2 points lose their channel and wait for another: PT-3107, TE-2101')
  expect(words(box)).toContain('1 value moves')
  expect(words(box)).toContain('PT-3107 at 12 mA: 300.0 mbar → 250.0 mbar')
  expect(words(box)).toContain('▲ PT-3107: counts of another make')
  expect(words(box)).toContain('2 findings are settled by it')
})

test('it is accepted only once it is shown, and can always be put back', async () => {
  const accept = vi.fn()
  const drop = vi.fn()
  const box = await preview(null, { onAccept: accept, onDrop: drop })
  expect(words(box)).toContain('looking what it would move…')
  expect(button(box, 'accept')!.disabled).toBe(true)
  button(box, 'put it back')!.click()
  expect(drop).toHaveBeenCalledOnce()
  cleared()
  const ready = await preview(NOTHING, { onAccept: accept })
  button(ready, 'accept')!.click()
  expect(accept).toHaveBeenCalledOnce()
})

test('a change that cannot be made says why and cannot be accepted', async () => {
  const box = await preview(null, { says: 'behind a bus end nothing is read' })
  expect(box.querySelector('[role=alert]')?.textContent).toBe('■ behind a bus end nothing is read')
  expect(button(box, 'accept')!.disabled).toBe(true)
})
