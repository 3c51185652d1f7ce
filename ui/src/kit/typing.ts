/** Whether somebody types into what an event comes from: then letters and / are his, and no command. */
const COMMANDS = ['checkbox', 'radio', 'range', 'button', 'submit', 'file']

export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  if (target instanceof HTMLInputElement) return !COMMANDS.includes(target.type)
  return target.isContentEditable || ['TEXTAREA', 'SELECT'].includes(target.tagName)
}
