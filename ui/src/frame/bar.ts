/**
 * The bar on top, shared by all pages: what is sought, and who takes it. A page that filters by it says so while it is
 * open; on all others the bar itself shows what it finds.
 */
import { defineStore } from 'pinia'
import { onBeforeUnmount, ref, shallowRef } from 'vue'

/** Something to do, with its keys: in the palette, and under Alt with a letter, while the page that offers it is open. */
export interface Command {
  says: string
  keys?: string
  run: () => unknown
}

/** The command whose key was pressed: Alt with a letter where it lies on the board, or with a sign. */
export function pressed(event: KeyboardEvent, commands: readonly Command[]): Command | undefined {
  if (!event.altKey || event.ctrlKey || event.metaKey) return undefined
  const name = `Alt+${/^Key([A-Z])$/.exec(event.code)?.[1] ?? event.key}`
  return commands.find((one) => one.keys?.split(', ').includes(name))
}

export const useBar = defineStore('bar', () => {
  const query = ref('')
  const onlyFindings = ref(false)
  /** How many points the page shows of all; nothing where it shows none. */
  const shown = ref<number | null>(null)
  const notes = ref<string[]>([])
  const filters = ref(false)
  /** What a page has to say beside the count, and where it leads. */
  const more = shallowRef<{ says: string; to: string; settle: boolean } | null>(null)
  const palette = ref(false)
  /** Grows when the first steps are to be shown again. */
  const tour = ref(0)
  /** Grows when the find field is wanted. */
  const wanted = ref(0)
  const commands = shallowRef<readonly Command[]>([])
  /** What Enter in the find field does on a page that filters. */
  const enter = shallowRef<(() => void) | null>(null)

  /** The page takes what is sought as its filter, as long as it is open. */
  function filter(done: () => void) {
    filters.value = true
    enter.value = done
    // Before, not after: by then the next page has said what it wants.
    onBeforeUnmount(() => {
      filters.value = false
      enter.value = null
      shown.value = null
      notes.value = []
      more.value = null
      query.value = ''
      onlyFindings.value = false
    })
  }

  /** What can be done on this page, as long as it is open. */
  function offer(some: readonly Command[]) {
    commands.value = [...commands.value, ...some]
    onBeforeUnmount(() => (commands.value = commands.value.filter((one) => !some.includes(one))))
  }

  return {
    query, onlyFindings, shown, notes, more, filters, palette, tour, wanted, commands, enter,
    filter, offer, focus: () => wanted.value++,
  } // prettier-ignore
})
