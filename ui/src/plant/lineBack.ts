/** What is to be asked anew when the line to the server was away: what was told meanwhile comes by no stream. */
import { watch } from 'vue'
import type { usePlant } from './store'

export function whenLineIsBack(plant: ReturnType<typeof usePlant>, work: () => unknown) {
  let away = false
  watch(
    () => plant.linkUp,
    (up) => {
      if (up && away) void work()
      away = !up
    },
  )
}
