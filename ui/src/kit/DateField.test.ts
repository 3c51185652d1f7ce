import { afterEach, expect, test } from 'vitest'
import { defineComponent, h, ref } from 'vue'
import { cleared, mounted, settled, typed } from '../testing/mounted'
import DateField from './DateField.vue'

afterEach(cleared)

async function shown(begins: string) {
  const text = ref(begins)
  const box = await mounted(
    defineComponent(() => () => h(DateField, { modelValue: text.value, 'aria-label': 'due', 'onUpdate:modelValue': (v: string) => (text.value = v) })),
  ) // prettier-ignore
  return { box, text }
}
const opened = async (box: HTMLElement) => {
  box.querySelector<HTMLElement>('[aria-label="choose the day"]')!.click()
  await settled()
}
const chosen = () => document.querySelector('.v-date-picker-month__day--selected')?.textContent?.trim()
const press = async (day: string) => {
  const days = [
    ...document.querySelectorAll<HTMLElement>(
      '.v-date-picker-month__day:not(.v-date-picker-month__day--adjacent)',
    ),
  ]
  days
    .find((one) => one.textContent?.trim() === day)!
    .querySelector('button')!
    .click()
  await settled()
}

test('a day is typed as it stands on the label, a month as well', async () => {
  const { box, text } = await shown('')
  await typed(box.querySelector('input')!, '2027-03')
  expect(text.value).toBe('2027-03')
  await opened(box)
  expect(chosen(), 'a month is over at its last day').toBe('31')
})

test('a day is chosen from the calendar, in the days of whoever looks', async () => {
  const { box, text } = await shown('2028-02-10')
  await opened(box)
  expect(chosen()).toBe('10')
  await press('29')
  expect(text.value, 'a leap year').toBe('2028-02-29')
})

test.each(['next spring', '2027-13', '2027-02-30', '2027-00'])(
  '%s is no day: no other is chosen for it, and it stays as it was typed',
  async (typed) => {
    const { box, text } = await shown(typed)
    await opened(box)
    expect(chosen()).toBeUndefined()
    expect(text.value).toBe(typed)
  },
)
