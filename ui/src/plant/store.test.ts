import { createPinia, setActivePinia } from 'pinia'
import { api, type Schemas } from '../api/client'
import type { Change, Finding } from './columns'
import { usePlant } from './store'

const finding = (key: string): Finding => ({
  key,
  rule: 'R07',
  station: 'VALUE',
  severity: 'settle',
  text: key,
  cells: [{ point: 11, field: 'service' }],
  fixes: [],
  harm: 'falsifies',
  cause: null,
  trips: false,
  waived: null,
})
const change = (seq: number, cells: Change['cells'], more: Partial<Change> = {}): Change => ({
  seq,
  at: '',
  who: 'ben',
  source: 'typed',
  cells,
  closed: [],
  opened: [],
  added: [],
  removed: [],
  racks: [],
  ...more,
})
const answer = (seq: number, becomes: string, more: Partial<Change> = {}): Schemas['ChangedOut'] =>
  ({
    seq,
    applied: true,
    cells: [{ point: 11, field: 'service', was: 'gas', becomes }],
    moved: [],
    opened: [],
    closed: [],
    change: change(seq, [[11, 'service', becomes]], more),
  }) as unknown as Schemas['ChangedOut']

function screen() {
  setActivePinia(createPinia())
  const plant = usePlant()
  plant.list.load({ seq: 5, ids: [11, 12], racks: [1, 1], columns: { service: ['gas', 'air'] } })
  return plant
}

test('what another changed before one’s own edit is not lost when it comes after the answer', () => {
  const plant = screen()
  plant.answered(answer(7, 'mine'), [])
  expect(plant.list.text('service', 0)).toBe('mine')
  plant.taken(change(6, [[12, 'service', 'theirs']]))
  plant.taken(change(7, [[11, 'service', 'mine']]))
  expect([plant.list.text('service', 0), plant.list.text('service', 1)]).toEqual(['mine', 'theirs'])
  expect(plant.list.seq).toBe(7)
})

test('an answer in its turn is taken at once, and its echo changes nothing', () => {
  const plant = screen()
  plant.answered(answer(6, 'mine', { opened: [finding('R07:11')] }), [])
  expect(plant.list.seq).toBe(6)
  expect([...plant.findings.keys()]).toEqual(['R07:11'])
  plant.taken(change(6, [[11, 'service', 'mine']], { opened: [finding('R07:11')] }))
  expect(plant.findings.size).toBe(1)
})

test('a point that was moved by oneself is on its new rack whichever comes first, answer or stream', () => {
  const moved = { racks: [[11, 2]] as [number, number][] }
  for (const first of ['answer', 'stream', 'late answer']) {
    const plant = screen()
    if (first === 'answer') plant.answered(answer(6, 'gas', moved), [])
    plant.taken(change(6, [[11, 'service', 'gas']], moved))
    if (first === 'late answer') plant.taken(change(7, [], { racks: [[11, 3]] }))
    if (first !== 'answer') plant.answered(answer(6, 'gas', moved), [])
    expect(plant.list.racks[0], first).toBe(first === 'late answer' ? 3 : 2)
  }
})

test('a change too large to be told cell by cell shows what was typed until the list is read anew', () => {
  const plant = screen()
  plant.answered(
    { ...answer(6, 'mine'), change: { ...change(6, []), anew: true } } as unknown as Schemas['ChangedOut'],
    [],
  )
  expect([plant.list.text('service', 0), plant.list.seq]).toEqual(['mine', 5])
})

test('findings follow the change sets and are found by their points', () => {
  const plant = screen()
  plant.taken(change(6, [], { opened: [finding('R07:11'), finding('R11:11')] }))
  expect(plant.findingsOf.get(11)?.length).toBe(2)
  plant.taken(change(7, [], { closed: ['R07:11'] }))
  expect([...plant.findings.keys()]).toEqual(['R11:11'])
  plant.taken(change(6, [], { opened: [finding('R07:11')] }))
  expect([...plant.findings.keys()]).toEqual(['R11:11'])
})

test('rights are what the session says, and nobody may anything without one', () => {
  const plant = screen()
  expect(plant.may('edit')).toBe(false)
  plant.session = { account: 'ana', role: 'engineer', rights: ['read', 'edit'], csrf: '', asks_old: false }
  expect([plant.may('edit'), plant.may('inject')]).toEqual([true, false])
})

test('an undo waits for what is still being saved, or it would take back what came before', async () => {
  const plant = screen()
  const asked: string[] = []
  const post = vi.spyOn(api, 'POST').mockImplementation((async (path: string) => {
    asked.push(`${path} asked`)
    if (path === '/api/proposals') await new Promise((done) => setTimeout(done, 20))
    asked.push(`${path} answered`)
    return { data: answer(path === '/api/undo' ? 7 : 6, 'mine'), response: new Response() }
  }) as unknown as typeof api.POST)
  const saving = plant.save([{ point: 11, field: 'service', was: 'gas', text: 'mine' }])
  await plant.turnBack('undo')
  await saving
  post.mockRestore()
  expect(asked).toEqual([
    '/api/proposals asked', '/api/proposals answered', '/api/undo asked', '/api/undo answered',
  ]) // prettier-ignore
})

const refused = (status: number, type: string) => ({
  error: { type, title: 'not now', status, detail: '', remedy: '', cells: [] },
  response: new Response(null, { status }),
})

test('what a busy server did not take, or nobody confirmed, is sent again by itself; on a full disk it waits for a hand', async () => {
  const edit = { point: 11, field: 'service', was: 'gas', text: 'mine' }
  for (const [type, asked, state] of [
    ['about:blank', 2, undefined],
    ['urn:canaleta:unsure', 2, undefined],
    ['urn:canaleta:no-room', 1, 'held'],
  ] as const) {
    vi.useFakeTimers()
    const plant = screen()
    const post = vi
      .spyOn(api, 'POST')
      .mockResolvedValueOnce(refused(503, type) as never)
      .mockResolvedValue({ data: answer(6, 'mine'), response: new Response() } as never)
    const saving = plant.save([edit])
    expect(plant.waitingAt(11, 'service')?.state).toBe('saving')
    await vi.runAllTimersAsync()
    await saving
    expect(post).toHaveBeenCalledTimes(asked)
    expect(plant.waitingAt(11, 'service')?.state).toBe(state)
    post.mockRestore()
    vi.useRealTimers()
  }
})
