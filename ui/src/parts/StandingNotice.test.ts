import { afterEach, expect, test } from 'vitest'
import { cleared, mounted, plantOf, settled } from '../testing/mounted'
import { usePlant } from '../plant/store'
import StandingNotice from './StandingNotice.vue'

afterEach(cleared)

test('a database that is away, lags or is full is told with what to do, each in its own words', async () => {
  plantOf()
  const box = await mounted(StandingNotice, {})
  expect(box.querySelectorAll('[role=alert]').length).toBe(0)
  const plant = usePlant()
  plant.standby = { state: 'lags', says: 'the standby is 12 s behind', remedy: 'look at its disk' }
  await settled()
  expect(box.textContent).toContain('▲ the standby is 12 s behind. What to do: look at its disk.')
  plant.standby = { state: 'gone', says: 'the standby is gone', remedy: 'bring it back' }
  plant.room = { says: 'the disk is full', remedy: 'free 96 MB' }
  await settled()
  const [room, standby] = box.querySelectorAll('[role=alert]')
  expect(room!.textContent).toContain('Nothing can be saved now')
  expect(standby!.textContent).toContain('■ the standby is gone')
})
