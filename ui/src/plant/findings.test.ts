import type { Finding } from './columns'
import { byCause, mark, together, worst } from './findings'

const HARMS = ['destroys', 'hides', 'falsifies', 'wavers', 'confuses']
const finding = (key: string, more: Partial<Finding> = {}): Finding => ({
  key, rule: key.split(':')[0]!, station: 'VALUE', severity: 'settle', text: `text of ${key}`, harm: 'falsifies',
  cells: [{ point: Number(key.split(':')[1]), field: 'tag' }], fixes: [], cause: null, trips: false, waived: null, ...more,
}) // prettier-ignore
const ai8 = { key: 'ai8:4–20 mA', says: 'AI-8 in mode 4–20 mA' }
const order = (...findings: Finding[]) => byCause(findings, HARMS).map((g) => g.findings[0]!.key)

test('forty points spoilt by one module type are one group with forty places', () => {
  const forty = Array.from({ length: 40 }, (_, k) => finding(`R10:${k + 1}`, { cause: ai8 }))
  const groups = byCause([...forty, finding('R07:1')], HARMS)
  expect(groups.map((g) => [g.rule, g.points.length])).toEqual([['R10', 40], ['R07', 1]]) // prettier-ignore
  expect(groups[0]!.cause).toBe('AI-8 in mode 4–20 mA')
})

test('dearest first: bad before what is to settle, what may destroy before what confuses, a trip before none', () => {
  expect(order(finding('R49:1', { harm: 'confuses' }), finding('R04:2', { severity: 'bad', harm: 'confuses' }))).toEqual(['R04:2', 'R49:1']) // prettier-ignore
  expect(order(finding('R49:1', { harm: 'confuses' }), finding('R05:2', { harm: 'destroys' }))).toEqual(['R05:2', 'R49:1']) // prettier-ignore
  expect(order(finding('R07:1'), finding('R07:2', { trips: true }))).toEqual(['R07:2', 'R07:1'])
})

test('what was accepted stands last and apart from what is open of the same cause', () => {
  const waived = { reason: 'spare part', who: 'ana', at: '2026-11-23', holds: true }
  const groups = byCause([finding('R10:1', { cause: ai8, waived }), finding('R10:2', { cause: ai8 })], HARMS)
  expect(groups.map((g) => [g.accepted, g.findings.length])).toEqual([[false, 1], [true, 1]]) // prettier-ignore
  expect(mark({ severity: 'bad', waived })).toBe('✓')
  expect(mark({ severity: 'bad', waived: { ...waived, holds: false } })).toBe('■')
})

test('of several the worst speaks, of none nobody', () => {
  expect(worst([finding('R07:1'), finding('R04:1', { severity: 'bad' })])?.rule).toBe('R04')
  expect(worst([])).toBeUndefined()
})

test('several causes are looked at as one, with all their places; of several rules none speaks', () => {
  const groups = byCause([finding('R07:1'), finding('R07:2'), finding('R10:2', { trips: true })], HARMS)
  const sevens = together(groups.filter((g) => g.rule === 'R07'))!
  expect([sevens.rule, sevens.findings.length, sevens.points]).toEqual(['R07', 2, [1, 2]])
  expect([together(groups)!.rule, together(groups)!.trips, together([])]).toEqual(['', true, undefined])
})
