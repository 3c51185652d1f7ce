import { ListColumns } from './columns'
import { find, search, type Around } from './find'

const FIELDS = [
  { name: 'tag', station: 'POINT', label: 'tag', kind: 'text' },
  { name: 'area', station: 'POINT', label: 'area', kind: 'text' },
  { name: 'signal', station: 'DEVICE', label: 'signal', kind: 'choice' },
  { name: 'device_high', station: 'DEVICE', label: 'high', kind: 'number' },
  { name: 'value_high', station: 'VALUE', label: 'high', kind: 'number' },
  { name: 'channel', station: 'INPUT', label: 'channel', kind: 'address' },
]
const VALUES: Record<number, number> = { 1: 950, 2: 12, 3: 850 }
const AROUND: Around = {
  live: (point) =>
    VALUES[point] === undefined
      ? undefined
      : { value: VALUES[point], quality: point === 2 ? 'bad' : 'good', stale: point === 3, injected: false },
  findings: (point) => (point === 1 ? [{ rule: 'R07', severity: 'settle' }] : []),
  locked: (point) => point === 2,
  waiting: () => false,
}

function made(): ListColumns {
  const list = new ListColumns()
  list.load({
    seq: 1,
    ids: [1, 2, 3, 4],
    racks: [1, 1, 1, 1],
    columns: {
      tag: ['TE-2101', 'PT-3107', 'TE-1102', 'ZS-22'],
      area: ['kiln 2', 'kiln 2', 'kiln 1', 'kiln 21'],
      signal: ['TC K', '4–20 mA', 'TC S', 'PNP NC'],
      device_high: ['1200', '600', '1500', ''],
      value_high: ['1200', '500', '1500', ''],
      channel: ['KC-2·1·5·1', '', 'KC-1·1·5·1', 'KC-2·1·1·6'],
    },
  })
  return list
}
const list = made()
const asked = (query: string) => search(query, list, FIELDS, AROUND)
const tags = (query: string) => find(list, asked(query)).map((row) => list.text('tag', row))

test('a search reads as one says it', () => {
  expect(tags('kiln 2 signal:tc has:finding value>900')).toEqual(['TE-2101'])
  expect(tags('kiln 2 -signal:tc')).toEqual(['PT-3107'])
  expect(tags('')).toHaveLength(4)
})

test('a word and its number are one thing where the list has it so', () => {
  expect(tags('kiln 2')).toEqual(['TE-2101', 'PT-3107'])
  expect(tags('te 2')).toEqual(['TE-2101', 'TE-1102'])
})

test('figures compare in the column that is meant, a bare label means every column that carries it', () => {
  expect(tags('device.high>=1200')).toEqual(['TE-2101', 'TE-1102'])
  expect(tags('high:500..600')).toEqual(['PT-3107'])
  expect(tags('value_high!=1200 -channel=""')).toEqual(['TE-1102', 'ZS-22'].filter((tag) => tag !== ''))
  expect(tags('device_high<1000')).toEqual(['PT-3107'])
})

test('has, no and is ask what is there, and how far the value can be trusted', () => {
  expect(tags('no:channel')).toEqual(['PT-3107'])
  expect(tags('has:device_high is:good')).toEqual(['TE-2101'])
  expect(tags('is:bad or is:stale')).toEqual(['PT-3107', 'TE-1102'])
  expect(tags('is:locked')).toEqual(['PT-3107'])
  expect(tags('rule:r07')).toEqual(['TE-2101'])
})

test('what is no column is looked for as it stands, and said', () => {
  const strange = asked('singal:tc')
  expect(strange.notes[0]).toContain('no column is called “singal”')
  expect(find(list, strange)).toEqual([])
  expect(asked('kiln').notes).toEqual([])
})

test('quotes keep words together', () => {
  expect(tags('"kiln 21"')).toEqual(['ZS-22'])
  expect(tags('area:"kiln 1"')).toEqual(['TE-1102'])
})
