import { nextTick } from 'vue'
import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, typed } from '../../testing/mounted'
import SignForm from './SignForm.vue'

afterEach(cleared)

const SIGN = 'POST /api/points/{point}/check/sign'
const BODY = { readings: [], seq: 5, open_wire: { value: '−6.3 mbar', bit: '' } }
const signing = (asked: { path: string; body: Record<string, unknown> }[]) =>
  asked.find((one) => one.path.endsWith('/sign'))
const form = (more: object = {}) =>
  mounted(SignForm, { point: 11, body: BODY, complete: true, trips: false, ...more })

async function filled(box: HTMLElement) {
  await typed(field(box, 'instrument'), 'calibrator')
  await typed(field(box, 'due'), '2027-03')
  await typed(field(box, 'name'), 'Ana Ferrer')
  await typed(field(box, 'your password'), 'not for long')
}

test('a signature carries the password once, and it is not kept in the field', async () => {
  plantOf()
  const signed: unknown[] = []
  const asked = answering({ [SIGN]: { id: 7 } })
  const box = await form({ onSigned: (record: unknown) => signed.push(record) })
  await filled(box)
  await sent(box)
  await nextTick()
  expect(signing(asked)!.body).toMatchObject({
    name: 'Ana Ferrer',
    password: 'not for long',
    instrument: 'calibrator',
  })
  expect(signing(asked)!.body.open_wire).toEqual({ value: '−6.3 mbar' })
  expect(field(box, 'your password').value).toBe('')
  expect(signed).toEqual([{ id: 7 }])
})

test('what was filled in stays when it is refused, but for the password', async () => {
  plantOf()
  const says: string[] = []
  answering({ [SIGN]: 'this is not your password' })
  const box = await form({ onSays: (text: string) => says.push(text) })
  await filled(box)
  await sent(box)
  await nextTick()
  expect(says[0]).toContain('this is not your password')
  expect([field(box, 'name').value, field(box, 'due').value]).toEqual(['Ana Ferrer', '2027-03'])
  expect(field(box, 'your password').value).toBe('')
})

test('the instrument is remembered for the next loop', async () => {
  plantOf()
  answering({ [SIGN]: { id: 7 } })
  await sent(await form().then(async (box) => (await filled(box), box)))
  cleared()
  plantOf()
  expect(field(await form(), 'instrument').value).toBe('calibrator')
})

test('who may not edit, or has not read every step, signs nothing', async () => {
  plantOf(['look', 'read'])
  expect(button(await form(), 'sign')!.disabled).toBe(true)
  cleared()
  plantOf()
  expect(button(await form({ complete: false }), 'sign')!.disabled).toBe(true)
  cleared()
  plantOf()
  expect(button(await form(), 'sign')!.disabled).toBe(false)
})

test('a point that can trip something is asked for its inhibit', async () => {
  plantOf()
  expect((await form()).textContent).not.toContain('tripping is agreed on')
  cleared()
  plantOf()
  expect((await form({ trips: true })).textContent).toContain('tripping is agreed on')
})
