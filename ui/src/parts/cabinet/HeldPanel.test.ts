import { afterEach, expect, test, vi } from 'vitest'
import { button, cleared, mounted, plantOf, settled } from '../../testing/mounted'
import HeldPanel from './HeldPanel.vue'

afterEach(cleared)

const AIMED = {
  module: { module: 5 },
  channel: { address: 'KC-2·1·1·2', terminals: ['3', '4'], register_at: 'word 2', direct: '%IW2' },
}
const FIT = { module: 5, fits: true, mode: '4–20 mA', reads: '250 mbar', margin: '', supply: '', reasons: [] }

test('what is not judged yet cannot be landed, and a click is never without effect', async () => {
  plantOf()
  const land = vi.fn()
  const waiting = await mounted(HeldPanel, { point: 12, aimed: AIMED, fit: undefined, onLand: land })
  expect(button(waiting, 'land it')!.disabled).toBe(true)
  await cleared()
  plantOf()
  const judged = await mounted(HeldPanel, { point: 12, aimed: AIMED, fit: FIT, onLand: land })
  await settled()
  expect(judged.textContent).toContain('half of its range reads 250 mbar')
  button(judged, 'land it')!.click()
  expect(land).toHaveBeenCalledOnce()
})
