import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, settled, typed } from '../testing/mounted'
import FindingCard from './FindingCard.vue'

afterEach(cleared)

const FIX = {
  label: 'follow the device: 0 … 600 mbar',
  edits: [{ point: 11, field: 'value_high', text: '600' }],
}
const finding = (more = {}) => ({
  key: 'R07:11', rule: 'R07', station: 'VALUE', severity: 'bad', text: 'the list shows 250, the pipe holds 300',
  cells: [{ point: 11, field: 'value_high' }], fixes: [FIX], harm: 'falsifies', cause: null, trips: false, waived: null, ...more,
}) // prettier-ignore
const tried = (ways: unknown[], left: unknown[] = []) => ({ 'POST /api/findings/ways': { ways, left } })
/** A plant whose rules have names. */
function named() {
  const plant = plantOf()
  plant.plant = { ...plant.plant, rules: { R07: 'ranges disagree' } } as never
}
const of = (calls: { path: string; body: unknown }[]) =>
  calls.filter((call) => call.path === '/api/findings/ways').map((call) => call.body)
const way = { ...FIX, findings: 1, settles: 1, raises: [], in_the_field: false }

test('a way is offered once it was tried', async () => {
  named()
  const calls = answering(tried([way]))
  const box = await mounted(FindingCard, { finding: finding() })
  await settled()
  expect(button(box, 'follow the device: 0 … 600 mbar')).toBeTruthy()
  expect(of(calls)).toEqual([{ keys: ['R07:11'] }])
})

test('a way that would raise something as bad is no button: why is said', async () => {
  named()
  answering(tried([], [{ label: FIX.label, code: 'raises', says: 'it would raise: two sources' }]))
  const box = await mounted(FindingCard, { finding: finding() })
  await settled()
  expect(button(box, 'follow the device')).toBeFalsy()
  expect(box.textContent).toContain(
    'not offered: “follow the device: 0 … 600 mbar”, it would raise: two sources',
  )
})

test('a finding without fixes, or accepted as it is, is not asked about', async () => {
  named()
  const calls = answering(tried([way]))
  const waived = { reason: 'meant so', who: 'ana', at: '2026-11-30T04:00:00Z', holds: true }
  await mounted(FindingCard, { finding: finding({ fixes: [] }) })
  await mounted(FindingCard, { finding: finding({ waived }) })
  await settled()
  expect(of(calls)).toEqual([])
})

test('what speaks of the plant goes to the punch list, with a name, a day and what the list says then', async () => {
  named()
  const calls = answering({
    ...tried([{ ...way, label: 'it is SCA', in_the_field: true }]),
    'POST /api/punches': { id: 7 },
  })
  const box = await mounted(FindingCard, { finding: finding() })
  await settled()
  button(box, 'to be done in the field …')!.click()
  await settled()
  await typed(field(box, 'who does it'), 'ben')
  button(box, 'on the punch list')!.click()
  await settled()
  const put = calls.find((call) => call.path === '/api/punches')!.body
  expect(put).toMatchObject({ point: 11, severity: 'A', owner: 'ben', rule: 'R07', what: 'it is SCA: the list shows 250, the pipe holds 300' }) // prettier-ignore
  expect((put as { edits: unknown[] }).edits).toMatchObject([{ point: 11, field: 'value_high', text: '600' }])
})
