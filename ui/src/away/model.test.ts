import { expect, test } from 'vitest'
import {
  empty,
  judged,
  results,
  stateOf,
  typedFigure,
  whyNot,
  type AwayPoint,
  type Kept,
  type Package,
} from './model'

/** 0 to 600 mbar on 4 to 20 mA, within 0.5 % of 600 mbar, which is 3 mbar. */
const POINT = {
  id: 1, tag: 'PT-3107', contact: false, unit: 'mbar', signal_unit: 'mA', span: 600, tolerance: 0.5, trips: '', why_not: '',
  steps: [4, 12, 20].map((mA) => ({ share: (mA - 4) / 0.16, way: 'up', signal: `${mA} mA`, signal_number: mA, due: (mA - 4) * 37.5, per_signal: 37.5, process: '', value: '' })),
} as unknown as AwayPoint // prettier-ignore
const PERSON = { tester: 'Pau', instrument: 'cal 3', serial: '1', due: '2999-12' }
const done = (...values: number[]) => ({ ...empty(POINT), readings: values.map((value) => ({ value })) })

test('figures are read as people type them', () => {
  expect(['12,5', '1 200', ' −3.5', '.5', ''].map(typedFigure)).toEqual([12.5, 1200, -3.5, 0.5, null])
  expect(typedFigure('12 mA')).toBeUndefined()
})

test('an error is of the span, and a calibrator a little off its step is none', () => {
  expect(judged(POINT, POINT.steps[1]!, { value: 303 })).toMatchObject({ ofSpan: 0.5, passes: true })
  expect(judged(POINT, POINT.steps[1]!, { value: 303.1 })!.passes).toBe(false)
  expect(judged(POINT, POINT.steps[1]!, { value: 303.75, signal: 12.1 })!.error).toBeCloseTo(0, 9)
  expect(judged(POINT, POINT.steps[1]!, {})).toBeNull()
})

test('a figure that looks mistyped is asked about, an error is not', () => {
  const asks = (value: number) => judged(POINT, POINT.steps[1]!, { value })!.asks
  expect([30, 3000, -300, 50, 12].map(asks)).toEqual([
    'is the decimal point where it belongs?', 'is the decimal point where it belongs?', 'is its sign right?',
    'is it in % of span?', 'is it the signal, in mA?',
  ]) // prettier-ignore
  expect([306, 250, 600].map(asks)).toEqual(['', '', ''])
})

test('a point is finished once everything is said, and not before', () => {
  expect(whyNot(POINT, done(0, 300), PERSON)).toBe('')
  expect(whyNot(POINT, empty(POINT), PERSON)).toBe('not every step was read')
  expect(whyNot(POINT, done(0, 300, 600), { ...PERSON, tester: ' ' })).toContain('your name')
  expect(whyNot(POINT, done(0, 300, 600), { ...PERSON, due: '' })).toContain('calibrated')
  expect(whyNot({ ...POINT, trips: 'shuts the gas' }, done(0, 300, 600), PERSON)).toContain(
    'it shuts the gas',
  )
  expect(whyNot(POINT, done(0, 30, 600), PERSON)).toContain('decimal point')
  expect(whyNot(POINT, { ...done(0, 30, 600), doubts_seen: true }, PERSON)).toBe('')
})

test('only what is done is handed back, under its own code', () => {
  const taken = {
    package: 'kiln 2',
    code: 'abc',
    plant: 'V',
    seq: 7,
    points: [POINT, { ...POINT, id: 2 }],
  } as unknown as Package
  const kept: Kept = {
    person: PERSON, punches: [], marks: [],
    work: { 1: { ...done(0, 300, 600), done: 'code-1', read_at: '2027-03-01T10:00:00Z' }, 2: done(0, 300) },
  } // prettier-ignore
  const file = results(taken, kept)
  expect(file.plant).toBe('V')
  expect(file.results.map((r) => [r.key, r.point, r.seq, r.instrument])).toEqual([['code-1', 1, 7, 'cal 3']])
  expect([stateOf(POINT, kept.work[1]), stateOf(POINT, kept.work[2]), stateOf(POINT, undefined)]).toEqual([
    'passed', 'begun', 'untouched',
  ]) // prettier-ignore
})
