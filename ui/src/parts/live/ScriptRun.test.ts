import { afterEach, expect, test, vi } from 'vitest'
import {
  answering,
  button,
  cleared,
  field,
  mounted,
  plantOf,
  sent,
  settled,
  typed,
} from '../../testing/mounted'
import ScriptRun from './ScriptRun.vue'

afterEach(cleared)

const LINE = { line: 1, at: 0, ends: 5, tag: 'PT-3107', says: 'see 250 ± 1 mbar within 5 s', sees: true, state: 'seen', began: 0, after: 1.25, read: '250.0 mbar, good' } // prettier-ignore
const RUN = { id: 4, script: 'header', who: 'ana', at: '', state: 'done', says: 'all 1 seen', missed: 0, record: 0, text: '' } // prettier-ignore

async function shown(run: object | null, lines: object[] = [LINE], rights?: string[]) {
  plantOf(rights)
  return mounted(ScriptRun, { run: run && { ...run, lines }, lines })
}

test('whether it passed is told by what was missed, whatever the words are', async () => {
  const passed = await shown({ ...RUN, says: 'not seen by these words alone' })
  expect(passed.querySelector('.verdict')?.classList.contains('bad')).toBe(false)
  cleared()
  const failed = await shown({ ...RUN, says: 'all well, it says', missed: 1 })
  expect(failed.querySelector('.verdict')?.classList.contains('bad')).toBe(true)
})

test('a run that was called off says so before its reason and cannot be signed', async () => {
  const box = await shown({ ...RUN, state: 'called off', says: 'called off by ben' })
  expect(box.querySelector('.verdict')?.textContent?.trim()).toBe('called off: called off by ben')
  expect(box.querySelector('form')).toBeNull()
})

test('a line tells when it was begun, after what time it was seen, and what was read', async () => {
  const box = await shown(RUN)
  const cells = [...box.querySelectorAll('tbody td')].map((td) => td.textContent?.trim())
  expect(cells).toEqual(['●', '0.0 s', 'PT-3107', LINE.says, '1.25 s', LINE.read])
})

test('a script that was not run shows what its lines mean', async () => {
  const box = await shown(null, [{ ...LINE, state: 'waits', began: null, after: null, at: 3 }])
  expect([...box.querySelectorAll('tbody td')].map((td) => td.textContent?.trim())).toEqual([
    '○', '3 s', 'PT-3107', LINE.says,
  ]) // prettier-ignore
})

test('what was seen is signed with a name, and a refusal stays in sight', async () => {
  plantOf()
  const asked = answering({ 'POST /api/script-runs/{number}/sign': 'this run is signed already' })
  const signed = vi.fn()
  const box = await mounted(ScriptRun, { run: { ...RUN, lines: [LINE] }, lines: [LINE], onSigned: signed })
  await typed(field(box, 'your name'), 'A. Serra')
  await typed(field(box, 'remark'), 'rehearsal')
  await typed(field(box, 'your password once more'), 'a long word')
  await sent(box)
  await settled()
  expect(asked[0]!.body).toEqual({ name: 'A. Serra', note: 'rehearsal', password: 'a long word' })
  expect(box.querySelector('form .bad')?.textContent).toContain('this run is signed already')
  expect(signed).not.toHaveBeenCalled()
})

test('a reader may look and not sign', async () => {
  const box = await shown(RUN, [LINE], ['look', 'read'])
  expect(button(box, 'sign what was seen')).toBeUndefined()
})
