import { expect, test } from 'vitest'
import { spansOf } from './alarmSpans'

const line = (s: number, kind: string, event: string) => ({
  at: new Date(s * 1000).toISOString(),
  kind,
  event,
})

test('an alarm stands from when it came to when it went, whatever was said of it meanwhile', () => {
  const journal = [line(160, 'h', 'goes'), line(130, 'h', 'acknowledge'), line(100, 'h', 'comes')]
  expect(spansOf(journal, 500)).toEqual([{ from: 100, to: 160, colour: 'bad-wash' }])
})

test('alarms of two kinds are two; one that has not gone stands until now', () => {
  const journal = [line(100, 'h', 'comes'), line(120, 'hh', 'comes'), line(140, 'hh', 'goes')]
  expect(spansOf(journal, 300).map(({ from, to }) => [from, to])).toEqual([
    [120, 140],
    [100, 300],
  ])
})

test('what came before the journal reaches is not made up', () => {
  expect(spansOf([line(100, 'h', 'goes'), line(200, 'h', 'comes'), line(210, 'h', 'goes')], 300)).toEqual([
    { from: 200, to: 210, colour: 'bad-wash' },
  ])
})
