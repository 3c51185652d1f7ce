/** Blocks of cells as text, the way spreadsheets exchange them: tabs between cells, quotes where needed. */

export function written(block: string[][]): string {
  const cell = (text: string) => (/[\t\n\r"]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)
  return block.map((row) => row.map(cell).join('\t')).join('\n')
}

/** Rows and cells of pasted text; a quoted cell may hold tabs, line ends and doubled quotes. */
export function read(text: string): string[][] {
  const rows: string[][] = []
  let row: string[] = []
  let i = 0
  const source = text.replace(/\r\n?/g, '\n').replace(/\n$/, '')
  while (i <= source.length) {
    let cell = ''
    if (source[i] === '"') {
      i++
      while (i < source.length && !(source[i] === '"' && source[i + 1] !== '"')) {
        if (source[i] === '"') i++
        cell += source[i++]
      }
      i++
    } else {
      while (i < source.length && source[i] !== '\t' && source[i] !== '\n') cell += source[i++]
    }
    row.push(cell)
    if (source[i] !== '\t') {
      rows.push(row)
      row = []
    }
    i++
  }
  return rows
}

/** A pasted block over a selection: one cell fills it, a block that divides it is repeated, else it stands once. */
export function spread(block: string[][], rows: number, cols: number): string[][] {
  const height = block.length
  const width = Math.max(...block.map((row) => row.length))
  const repeat = rows % height === 0 && cols % width === 0
  const [tall, wide] = repeat ? [rows, cols] : [height, width]
  return Array.from({ length: tall }, (_, r) =>
    Array.from({ length: wide }, (_, c) => block[r % height]![c % width] ?? ''),
  )
}
