import { afterEach, expect, test } from 'vitest'
import { cleared, mounted, plantOf } from '../../testing/mounted'
import ScriptStrip from './ScriptStrip.vue'

afterEach(cleared)

const line = (line: number, tag: string, sees: boolean, at: number, more: object = {}) => ({
  line, tag, sees, at, ends: at, says: '', state: '', level: null, becomes: null, in_s: 0, fault: '', after: null, began: null, ...more,
}) // prettier-ignore

async function strip(lines: object[], more: object = {}) {
  plantOf()
  const shown: number[] = []
  const box = await mounted(ScriptStrip, {
    lines,
    length: 20,
    now: null,
    onLine: (at: number) => shown.push(at),
    ...more,
  })
  return { box, shown }
}

test('each point has a lane, and what is put on stays until the next', async () => {
  const { box } = await strip([
    line(1, 'PT-3107', false, 0, { level: 4 }),
    line(2, 'ZV-2', false, 5, { level: 1 }),
    line(3, 'PT-3107', false, 10, { level: 20 }),
  ])
  expect([...box.querySelectorAll('.tag')].map((tag) => tag.textContent)).toEqual(['PT-3107', 'ZV-2'])
  expect(box.querySelectorAll('.put').length).toBe(3)
  const ends = [...box.querySelectorAll('.put path')].map((path) =>
    Number(/H([\d.]+)$/.exec(path.getAttribute('d')!)![1]),
  )
  expect(ends[0]!, 'the first ends where the third begins').toBeLessThan(ends[2]!)
  expect(ends[1]).toBe(ends[2])
})

test('a step leads to its line, what is wrong is named, and the hand of the clock is there while it runs', async () => {
  const { box, shown } = await strip([line(4, 'PT-3107', false, 0, { fault: 'open' }), line(5, 'PT-3107', true, 0, { ends: 8, after: 3.2, began: 0, state: 'seen' })], { now: 4 }) // prettier-ignore
  expect(box.querySelector('.wrong')!.textContent).toBe('open')
  box.querySelector('.see')!.dispatchEvent(new MouseEvent('click', { bubbles: true }))
  expect(shown).toEqual([5])
  expect(box.querySelector('.see title')!.textContent).toContain('seen after 3.2 s')
  expect(box.querySelector('.cursor')).not.toBeNull()
})

test('nothing to draw draws nothing', async () => {
  const { box } = await strip([])
  expect(box.querySelector('svg')).toBeNull()
})
