import { afterEach, expect, test, vi } from 'vitest'
import { defineComponent, h, nextTick, ref, withDirectives, resolveDirective } from 'vue'
import { cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import ChoiceField from './ChoiceField.vue'
import DenseField from './DenseField.vue'
import { each } from './each'
import TagField from './TagField.vue'
import TipLayer from './TipLayer.vue'
import { isTyping } from './typing'

afterEach(cleared)

test('a decimal comma stays as it was typed: a figure is read by whoever knows its unit', async () => {
  const text = ref('')
  const box = await mounted(
    defineComponent(() => () => h(DenseField, { modelValue: text.value, 'onUpdate:modelValue': (v: unknown) => (text.value = String(v)) })),
  ) // prettier-ignore
  await typed(box.querySelector('input')!, '4,5')
  expect(text.value).toBe('4,5')
})

test('a field with its label, unit and message is one thing to a reader', async () => {
  const box = await mounted(DenseField, { modelValue: '7', label: 'range from', unit: 'mbar', state: 'bad', message: 'above the limit' }) // prettier-ignore
  const label = box.querySelector('label')!
  expect(label.textContent!.replace(/\s+/g, ' ').trim()).toBe('range frommbarabove the limit')
  expect(label.querySelector('input')!.getAttribute('aria-invalid')).toBe('true')
})

test('a number is given as one where the page asks for it, and nothing as nothing', async () => {
  const given: unknown[] = []
  const box = await mounted(DenseField, { modelValue: 1, modelModifiers: { number: true }, 'onUpdate:modelValue': (v: unknown) => given.push(v) }) // prettier-ignore
  await typed(box.querySelector('input')!, '2.5')
  await typed(box.querySelector('input')!, '')
  expect(given).toEqual([2.5, ''])
})

test('a choice shows its words, and gives its value', async () => {
  const given: unknown[] = []
  const items = [{ value: '', title: 'none' }, 'area']
  const box = await mounted(ChoiceField, { modelValue: '', items, 'aria-label': 'group by', 'onUpdate:modelValue': (v: unknown) => given.push(v) }) // prettier-ignore
  const input = box.querySelector<HTMLInputElement>('input[role=combobox]')!
  expect(input.getAttribute('aria-label')).toBe('group by')
  expect(box.textContent).toContain('none')
  input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowDown', bubbles: true }))
  await settled()
  const options = [...document.querySelectorAll<HTMLElement>('[role=option]')]
  expect(options.map((o) => o.textContent?.trim())).toEqual(['none', 'area'])
  options[1]!.click()
  await settled()
  expect(given).toEqual(['area'])
})

test('entries of an object and of an array come with their keys and places', () => {
  expect(each({ a: 1, b: 2 }, (v, key) => `${key}${v}`)).toEqual(['a1', 'b2'])
  expect(each(['x'], (v, at) => `${at}${v}`)).toEqual(['0x'])
  expect(each(undefined as string[] | undefined, (v) => v)).toEqual([])
})

test('what lies on an element is shown by the one tooltip when it is pointed at, and goes by Esc', async () => {
  vi.useFakeTimers()
  plantOf()
  const Page = defineComponent(() => () => {
    const tip = resolveDirective('tip')!
    return [withDirectives(h('button', 'x'), [[tip, 'drag for the width']]), h(TipLayer)]
  })
  const box = await mounted(Page)
  const button = box.querySelector('button')!
  expect(button.getAttribute('aria-description')).toBe('drag for the width')
  button.dispatchEvent(new Event('pointerover', { bubbles: true }))
  await vi.advanceTimersByTimeAsync(600)
  await nextTick()
  expect(document.querySelector('.v-tooltip')?.textContent).toContain('drag for the width')
  window.dispatchEvent(new KeyboardEvent('keydown', { key: 'Escape' }))
  await nextTick()
  expect(document.querySelector('.v-tooltip')?.textContent ?? '').not.toContain('drag for the width')
})

test('a point is found by a few letters of its tag', async () => {
  plantOf()
  const picked: number[] = []
  const box = await mounted(TagField, { label: 'beside it', onPicked: (point: number) => picked.push(point) })
  const input = box.querySelector('input')!
  input.focus()
  await typed(input, 'zv')
  await settled()
  document.querySelector<HTMLElement>('[role=option]')!.click()
  await settled()
  expect(picked).toEqual([12])
})

test('letters belong to whoever types, and not to a box that is ticked', () => {
  const of = (html: string) => {
    document.body.innerHTML = html
    return isTyping(document.body.firstElementChild)
  }
  expect(of('<input>')).toBe(true)
  expect(of('<input type="search">')).toBe(true)
  expect(of('<textarea></textarea>')).toBe(true)
  expect(of('<input type="checkbox">')).toBe(false)
  expect(of('<button>x</button>')).toBe(false)
})
