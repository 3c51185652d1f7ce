/** The list as a file, saved by the browser. */
import type { Schemas } from '../api/client'
import { csrfHeader, problemOf } from '../api/client'
import type { usePlant } from './store'

export async function exportList(
  plant: ReturnType<typeof usePlant>,
  body: Schemas['ExportIn'],
): Promise<void> {
  try {
    const answer = await fetch('/api/export', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...csrfHeader() },
      body: JSON.stringify(body),
    })
    if (!answer.ok) {
      const problem = problemOf(await answer.json())
      return plant.say(`${problem.title} · nothing was written`, 'bad')
    }
    const name =
      /filename="([^"]+)"/.exec(answer.headers.get('Content-Disposition') ?? '')?.[1] ?? `list.${body.form}`
    const link = document.createElement('a')
    link.href = URL.createObjectURL(await answer.blob())
    link.download = name
    link.click()
    setTimeout(() => URL.revokeObjectURL(link.href), 10_000)
    plant.say(`${name} is written`)
  } catch {
    plant.say('the server does not answer · nothing was written', 'bad')
  }
}
