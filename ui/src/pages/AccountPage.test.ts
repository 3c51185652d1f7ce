import { afterEach, expect, test } from 'vitest'
import { answering, button, cleared, field, mounted, plantOf, sent, settled, typed } from '../testing/mounted'
import AccountPage from './AccountPage.vue'

afterEach(cleared)

const account = (name: string, role: string, more: object = {}) => ({
  name,
  role,
  active: true,
  seen: '',
  has_password: true,
  ...more,
})
const ACCOUNTS = {
  accounts: [account('ana', 'administrator'), account('ben', 'technician', { has_password: false })],
  link: '',
}
const SESSIONS = { sessions: [
  { key: 'a', account: 'ana', since: '2026-11-30T07:00:00Z', seen: '2026-11-30T08:00:00Z', mine: true },
  { key: 'b', account: 'ana', since: '2026-11-28T07:00:00Z', seen: '2026-11-29T08:00:00Z', mine: false },
] } // prettier-ignore

async function page(
  answers: Record<string, unknown> = {},
  { rights = ['read', 'administer'], asks_old = true } = {},
) {
  const plant = plantOf(rights)
  plant.session = { ...plant.session!, asks_old } as never
  const asked = answering({ 'GET /api/accounts': ACCOUNTS, 'GET /api/sessions': SESSIONS, ...answers })
  const box = await mounted(AccountPage)
  await settled()
  return { plant, asked, box }
}
const flat = (box: HTMLElement) => box.textContent!.replace(/\s+/g, ' ')

test('a password is changed by whoever knows the old one, and neither stays in the fields', async () => {
  const { box, asked } = await page({ 'PUT /api/session/password': { ok: true } })
  const [old, now] = box.querySelectorAll<HTMLInputElement>('input[type=password]')
  await typed(old!, 'the one before')
  await typed(now!, 'a longer one now')
  await sent(box, 0)
  await settled()
  expect(asked.find((a) => a.path.endsWith('/password'))!.body).toEqual({
    password: 'a longer one now',
    old: 'the one before',
  })
  expect(flat(box)).toContain('every other session of yours has ended')
  expect(
    [...box.querySelectorAll<HTMLInputElement>('input[type=password]')].map((input) => input.value),
  ).toEqual(['', ''])
})

test('who has none yet is not asked for the old one, and a short one is refused in words', async () => {
  const { box } = await page(
    { 'PUT /api/session/password': 'a password has at least ten characters' },
    { asks_old: false },
  )
  const fields = box.querySelectorAll<HTMLInputElement>('input[type=password]')
  expect(fields.length).toBe(1)
  await typed(fields[0]!, 'short')
  await sent(box, 0)
  await settled()
  expect(flat(box)).toContain('a password has at least ten characters')
  expect(fields[0]!.value).toBe('short')
})

test('who still holds something is asked before he leaves', async () => {
  const { box, asked } = await page({
    'GET /api/temporary': { open: [{ who: 'ana' }, { who: 'ben' }] },
    'DELETE /api/session': {},
  })
  button(box, 'sign out')!.click()
  await settled()
  expect(box.querySelector('p[role=alert]')!.textContent).toContain('1 temporary change of yours is open')
  expect(asked.some((a) => a.way === 'DELETE')).toBe(false)
  button(box, 'sign out all the same')!.click()
  await settled()
  expect(asked.at(-1)).toMatchObject({ way: 'DELETE', path: '/api/session' })
})

test('an account is made with a link for one sign-in', async () => {
  const { box, asked } = await page({ 'POST /api/accounts': { ...ACCOUNTS, link: '/enter#one-time' } })
  await typed(field(box, 'name of a new account'), ' eva ')
  await sent(box, 1)
  await settled()
  expect(asked.find((a) => a.way === 'POST')!.body).toEqual({ name: 'eva', role: 'technician' })
  expect(flat(box)).toContain('one-time sign-in for eva')
  expect(field(box, 'one-time link').value).toBe(`${location.origin}/enter#one-time`)
  expect(field(box, 'name of a new account').value).toBe('')
})

test('somebody is shut out, and nobody shuts out himself', async () => {
  const { box, asked } = await page({ 'PUT /api/accounts/{name}': ACCOUNTS })
  const shut = [...box.querySelectorAll('button')].filter((b) => b.textContent!.trim() === 'shut out')
  expect(shut.length, 'ben alone').toBe(1)
  shut[0]!.click()
  await settled()
  expect(asked.at(-1)!.body).toEqual({ active: false })
})

test('another session is ended; people are the administrator’s alone', async () => {
  const { box, asked } = await page({ 'DELETE /api/sessions/{key}': { sessions: [SESSIONS.sessions[0]] } })
  button(box, 'end')!.click()
  await settled()
  expect(asked.at(-1)).toMatchObject({ way: 'DELETE', path: '/api/sessions/{key}' })
  expect(button(box, 'end')).toBeUndefined()
  cleared()
  const other = await page({}, { rights: ['read'] })
  expect(flat(other.box)).not.toContain('name of a new account')
  expect(other.asked.some((a) => a.path === '/api/accounts')).toBe(false)
})
