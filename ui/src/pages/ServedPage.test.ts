import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, mounted, plantOf, settled, typed } from '../testing/mounted'
import ServedPage from './ServedPage.vue'

afterEach(cleared)

const CLIENT = {
  fingerprint: 'ab'.repeat(32),
  name: 'urn:display',
  expires: '2999-01-01T00:00:00Z',
  first: '2026-12-01T10:00:00Z',
  last: '2026-12-01T10:00:00Z',
  trusted: false,
  trusted_by: '',
}
const DOOR = {
  kind: 'OPC UA',
  at: 'opc.tcp://0.0.0.0:4840',
  clients: 1,
  points: 286,
  refused: 3,
  open: false,
  wrong: [],
}
const NOTHING = { servers: [], certificates: [], given: [], writes: [], published: 0, wrong: [] }

async function opened(told: object, rights?: string[]) {
  plantOf(rights)
  const asked = answering({
    'GET /api/served': { ...NOTHING, ...told },
    'POST /api/served/trust': { ...NOTHING, certificates: [{ ...CLIENT, trusted: true, trusted_by: 'ana' }] },
    'POST /api/served/give': NOTHING,
    'POST /api/served/give/end': NOTHING,
  })
  const box = await mounted(ServedPage, {}, { at: '/served' })
  await settled()
  return { box, sent: (path: string) => asked.filter((a) => a.path === path && a.way === 'POST') }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('where nobody serves the page says how one does', async () => {
  const { box } = await opened({})
  expect(flat(box)).toContain('./canaleta serve --opcua')
  expect(flat(box)).toContain('other systems read, and write nowhere')
})

test('a door tells its clients, whom it turned away, and why it is shut', async () => {
  const shut = {
    ...DOOR,
    kind: 'MQTT',
    at: '',
    wrong: [{ point: 0, says: 'nothing answers at mqtt://b:1883' }],
  }
  const server = { name: 'plant', holder: 'host:7:ab', until: '', alive: true, doors: [DOOR, shut] }
  const { box } = await opened({ servers: [server, { ...server, name: 'old', alive: false }] })
  const doors = [...box.querySelectorAll('.door')].map((d) => d.textContent!.replace(/\s+/g, ' '))
  expect(doors).toHaveLength(2)
  expect(doors[0]).toContain('286 points · 1 client')
  expect(doors[0]).toContain('3 not let in')
  expect(doors[1]).toContain('nothing answers at mqtt://b:1883')
  expect(box.querySelectorAll('.door.shut')).toHaveLength(1)
})

test('a client is let in by its certificate, by an engineer alone', async () => {
  const { box, sent } = await opened({ certificates: [CLIENT] })
  expect(flat(box)).toContain('urn:display')
  expect(flat(box)).toContain('not let in')
  button(box, 'trust')!.click()
  await settled()
  expect(sent('/api/served/trust')[0]!.body).toEqual({ fingerprint: CLIENT.fingerprint, trusted: true })
  expect(flat(box)).toContain('trusted by ana')
  cleared()
  const other = await opened({ certificates: [{ ...CLIENT, expires: '2020-01-01T00:00:00Z' }] }, [
    'look',
    'read',
  ])
  expect(button(other.box, 'trust')).toBeUndefined()
  expect(flat(other.box)).toContain('expired')
})

test('an output is given away by its tag with a reason and a time', async () => {
  const { box, sent } = await opened({})
  const field = (label: string) => box.querySelector<HTMLInputElement>(`[aria-label="${label}"]`)!
  const give = () => box.querySelector('form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await typed(field('output to give away'), 'XX-9')
  await typed(field('why it is given away'), 'panel 3 sets it')
  give()
  await settled()
  expect(flat(box)).toContain('no point of the list is called “XX-9”')
  await typed(field('output to give away'), 'pt-3107')
  await typed(field('for how many minutes'), 'long')
  give()
  await settled()
  expect(flat(box)).toContain('whole minutes, 1 to 480')
  await typed(field('for how many minutes'), '60')
  give()
  await settled()
  expect(sent('/api/served/give')[0]!.body).toMatchObject({ why: 'panel 3 sets it', minutes: 60 })
})

test('what is given away is taken back, and each try is told with what became of it', async () => {
  const { box, sent } = await opened({
    given: [
      { id: 4, at: '', point: 11, tag: 'ZV-1', who: 'ana', why: 'panel 3', until: '2999-01-01T00:00:00Z' },
    ],
    writes: [
      {
        id: 1,
        at: '',
        point: 11,
        tag: 'ZV-1',
        by: 'panel',
        door: 'OPC UA',
        value: '25',
        done: false,
        says: 'not armed',
      },
    ],
  })
  expect(flat(box)).toContain('■ not armed')
  button(box, 'take it back')!.click()
  await settled()
  expect(sent('/api/served/give/end')[0]!.body).toEqual({ ids: [4] })
})
