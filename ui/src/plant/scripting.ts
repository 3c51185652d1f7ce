/** Scripts of injections: what a new one for a point begins with, and what is shown of its lines. */
import type { Schemas } from '../api/client'

const PAD = 9

/** A line: time, tag, and what is put on or seen. */
export function scriptLine(time: string, tag: string, what: string): string {
  return `${time.padEnd(PAD)}${tag}  ${what}`
}

/**
 * A first script for a point, from the steps of its loop check: low, middle and high end put on and read, then a wire taken
 * off and put back. A contact is closed and opened.
 */
export function firstScript(tag: string, check: Schemas['CheckOut']): string {
  const out = [`# ${tag}: ${check.contact ? 'both states' : 'low, middle and high end, then a broken wire'}`]
  const up = check.steps.filter((s) => s.way === 'up')
  const wanted = check.contact ? up : [up[0], up[Math.floor(up.length / 2)], up.at(-1)]
  for (const [i, step] of wanted.entries()) {
    if (!step?.signal || !step.value) continue
    out.push(scriptLine(i ? '+4 s' : '0 s', tag, `put ${plain(step.signal)}`))
    out.push(
      scriptLine(
        '+0 s',
        tag,
        check.contact ? `see ${step.value} within 3 s` : `see ${plain(step.value)} ± 0.5 % within 3 s`,
      ),
    )
  }
  if (!check.contact) {
    out.push(scriptLine('+4 s', tag, 'make open'), scriptLine('+0 s', tag, 'see bad within 8 s'))
    out.push(scriptLine('+9 s', tag, 'take off'), scriptLine('+0 s', tag, 'see good within 6 s'))
  } else out.push(scriptLine('+4 s', tag, 'take off'))
  return `${out.join('\n')}\n`
}

/** A figure as it can be typed: no thin spaces, a plain minus sign. */
function plain(text: string): string {
  return text.replace(/[\u2009\u202f]/g, '').replace(/\u2212/g, '-')
}

/** The tag that a script's text speaks of at a line, or the last before it; '' if none does. */
export function tagAt(text: string, line: number): string {
  const lines = text.split('\n').slice(0, line + 1)
  for (const said of lines.reverse()) {
    const found = /^\s*\+?\s*[\d.,]+\s*(?:s|min)?\s+(.+?)\s+(?:put|make|take off|see)\b/i.exec(said)
    if (found?.[1]) return found[1]
  }
  return ''
}
