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
import RecordList from './RecordList.vue'

afterEach(cleared)

const record = (id: number, who: string) => ({
  id, at: '2027-03-01T08:00:00Z', kind: 'loop check', who, name: who, verdict: 'passed', sound: true, phase: '', worst: 0, tolerance: 0.5,
}) // prettier-ignore

test('one signs under another person’s record, not under one’s own, and a refusal stays in sight', async () => {
  plantOf()
  let answer: unknown = 'this is not your password'
  const asked = answering({ 'POST /api/evidence/{number}/countersign': () => answer })
  const signed = vi.fn()
  const box = await mounted(RecordList, { records: [record(4, 'pau'), record(5, 'ana')], onSigned: signed })
  expect(box.querySelectorAll('button')).toHaveLength(1)
  button(box, 'sign under it…')!.click()
  await settled()
  await typed(field(box, 'who signs second'), 'B. Roca')
  await typed(field(box, 'password of the second'), 'a long word')
  await sent(box)
  await settled()
  expect(asked[0]!.body).toEqual({ name: 'B. Roca', password: 'a long word', remark: '' })
  expect(box.textContent).toContain('■ this is not your password')
  expect(signed).not.toHaveBeenCalled()
  answer = { signatures: [{}] }
  await sent(box)
  await settled()
  expect(signed).toHaveBeenCalledOnce()
  expect(box.querySelector('form')).toBeNull()
})
