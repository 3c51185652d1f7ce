import { afterEach, expect, test } from 'vitest'
import { h, ref } from 'vue'
import { button, cleared, field, mounted, plantOf, settled, typed } from '../../testing/mounted'
import { blankType, tidied, type TypeBody } from './typeBody'
import TypeFirmware from './TypeFirmware.vue'
import TypeGroups from './TypeGroups.vue'
import TypeSettings from './TypeSettings.vue'

afterEach(cleared)

async function opened(
  part: typeof TypeSettings | typeof TypeGroups | typeof TypeFirmware,
  more: Partial<TypeBody> = {},
) {
  plantOf()
  const body = ref<TypeBody>({ ...blankType(), title: 'AI 4', ...more })
  const held = { setup: () => () => h(part as never, { modelValue: body.value, 'onUpdate:modelValue': (v: TypeBody) => (body.value = v) }) } // prettier-ignore
  const box = await mounted(held)
  await settled()
  return { box, body }
}
const tick = async (box: HTMLElement, label: string) => {
  const found = [...box.querySelectorAll('label')].find((l) => l.textContent!.trim() === label)!
  const input = document.getElementById(found.getAttribute('for')!) ?? found.querySelector('input')
  ;(input as HTMLElement).click()
  await settled()
}

test('a setting gets its numbers, the place that the manual names, and what makes it act', async () => {
  const { box, body } = await opened(TypeSettings, { numbering: "with the table's digit" })
  await tick(box, 'mode can be written')
  await tick(box, '“off” is one of them')
  await tick(box, 'it has a place of its own')
  await typed(field(box, 'first place of the setting'), '40101')
  await typed(field(box, 'channels in one place (0: all)'), '4')
  await typed(field(box, 'bits'), '4')
  await typed(field(box, 'next channel after, bits'), '4')
  button(box, 'something is written after them')!.click()
  await settled()
  await typed(field(box, 'place of what is written then'), '40200')
  const [setting] = tidied(body.value).settings!
  expect(setting).toMatchObject({ of: 'mode', at: 100, channels_a_place: 4, bits: 4, bit_step: 4, codes: { '4–20 mA': 1, off: 0 } }) // prettier-ignore
  expect(tidied(body.value).after_settings).toEqual([{ name: 'apply', table: 'holding registers', at: 199, word: 1 }]) // prettier-ignore
})

test('a setting that cannot be written says why', async () => {
  const { box, body } = await opened(TypeSettings)
  await typed(field(box, 'why mode is fixed'), 'set by a switch at its side')
  expect(body.value.fixed).toEqual({ mode: 'set by a switch at its side' })
  await typed(field(box, 'why mode is fixed'), ' ')
  expect(body.value.fixed).toEqual({})
})

test('channels that are not alike are told with their ways and their terminals', async () => {
  const { box, body } = await opened(TypeGroups)
  expect(box.textContent).toContain('every channel is like the others')
  button(box, 'channels of another kind')!.click()
  await settled()
  await typed(box.querySelectorAll<HTMLInputElement>('input[type=number]')[1]!, '2')
  await tick(box, '4–20 mA')
  button(box, 'a terminal of their own')!.click()
  await settled()
  button(box, 'channels of another kind')!.click()
  await settled()
  expect(body.value.groups).toMatchObject([
    { first: 0, count: 2, direction: 'in', modes: ['4–20 mA'], terminals: [{ mark: '{n}', role: 'plus' }] },
    { first: 2, count: 2, modes: [] },
  ])
})

test('the firmware stands behind the counts, or where the manual says', async () => {
  const { box, body } = await opened(TypeFirmware, { numbering: "with the table's digit" })
  await tick(box, 'it says which one it has')
  expect(body.value.firmware!.at).toBe(Math.max(...body.value.registers.map((r) => (r.at ?? 0) + r.count)))
  await typed(field(box, 'place of the firmware'), '30101')
  await typed(field(box, 'registers of the firmware'), '2')
  await typed(field(box, 'the oldest firmware that this type needs'), '2.3')
  expect(tidied(body.value).firmware).toEqual({ table: 'input registers', at: 100, words: 2, written: 'parts in bytes', oldest: '2.3' }) // prettier-ignore
  await tick(box, 'it says which one it has')
  expect(tidied(body.value).firmware ?? null).toBeNull()
})
