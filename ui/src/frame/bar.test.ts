import { afterEach, expect, test } from 'vitest'
import { defineComponent, h, nextTick, shallowRef } from 'vue'
import { cleared, mounted, plantOf } from '../testing/mounted'
import { pressed, useBar } from './bar'

afterEach(cleared)

/** A page that filters by what is sought, and offers one thing to do. */
const page = (shown: number, says: string) =>
  defineComponent(() => {
    const bar = useBar()
    bar.shown = shown
    bar.filter(() => undefined)
    bar.offer([{ says, run: () => undefined }])
    return () => h('p', says)
  })

test('the page that comes says what it wants; the one that goes takes only its own away', async () => {
  plantOf()
  const [list, path] = [page(286, 'new points'), page(12, 'inject')]
  const at = shallowRef(list)
  await mounted(defineComponent(() => () => h(at.value)))
  const bar = useBar()
  bar.query = 'kiln 2'
  expect([bar.filters, bar.shown, bar.commands.map((c) => c.says)]).toEqual([true, 286, ['new points']])
  at.value = path
  await nextTick()
  expect([bar.filters, bar.shown, bar.commands.map((c) => c.says)]).toEqual([true, 12, ['inject']])
  expect(bar.query, 'what was sought there is not sought here').toBe('')
})

test('Alt with a letter does what the page offers under it, wherever the letter lies', () => {
  const commands = [
    { says: 'new points', keys: 'Alt+N', run: () => undefined },
    { says: 'keys', keys: 'F1, Alt+K', run: () => undefined },
    { says: 'as the device', keys: 'Alt+=', run: () => undefined },
  ]
  const of = (key: string, code: string, more = {}) =>
    pressed(new KeyboardEvent('keydown', { key, code, altKey: true, ...more }), commands)?.says
  expect([of('ñ', 'KeyN'), of('k', 'KeyK'), of('=', 'Digit0')]).toEqual([
    'new points',
    'keys',
    'as the device',
  ])
  expect(of('n', 'KeyN', { ctrlKey: true }), 'AltGr types a sign').toBeUndefined()
  expect([of('x', 'KeyX'), of('n', 'KeyN', { altKey: false })]).toEqual([undefined, undefined])
})
