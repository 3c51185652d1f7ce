/** Where an error of a page came from: Vue says it by a code, or in a development build by the words that stand for it. */

/** Set up, drawn, drawn again: codes of Vue 3.5's `ErrorTypeStrings`. All others, also hooks, leave the page standing. */
const DRAWING = new Set(['0', '1', '15'])
const DRAWING_SAYS = new Set(['setup function', 'render function', 'component update'])

/** Whether the page itself could not be set up or drawn, and not only something that was done on it. */
export function drawing(where: string): boolean {
  const code = /#runtime-(\w+)$/.exec(where)?.[1]
  return code ? DRAWING.has(code) : DRAWING_SAYS.has(where)
}

/** What an error says of itself. */
export const saysOf = (error: unknown) => (error instanceof Error ? error.message : String(error))
