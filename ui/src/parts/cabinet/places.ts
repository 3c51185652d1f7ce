/** How manuals write a place in a table of Modbus, as the server reads it (core/model/register_tables.py). */

export const TABLES = ['coils', 'discrete inputs', 'input registers', 'holding registers'] as const
export type TableName = (typeof TABLES)[number]
export const STYLES = ['from 0', 'from 1', 'hexadecimal', "with the table's digit"] as const
export type Style = (typeof STYLES)[number]

const DIGITS: Record<TableName, string> = {
  coils: '0',
  'discrete inputs': '1',
  'input registers': '3',
  'holding registers': '4',
}
const LAST = 65_535

export function written(table: TableName, place: number, style: Style): string {
  if (style === 'from 0') return String(place)
  if (style === 'from 1') return String(place + 1)
  if (style === 'hexadecimal') return `0x${place.toString(16).toUpperCase().padStart(4, '0')}`
  return `${DIGITS[table]}${String(place + 1).padStart(place < 9999 ? 4 : 5, '0')}`
}

/** The place from 0 that a text means, and its table where the text names it; or what is wrong with it, in words. */
export function placeOf(text: string, style: Style): { place: number; table?: TableName } | string {
  const given = text.replace(/[\s_]/g, '')
  const signed = /^(?:0x|16#|&h|\$)([0-9a-f]{1,4})$/i.exec(given) ?? /^([0-9][0-9a-f]{0,4})h$/i.exec(given)
  if (signed) return within(parseInt(signed[1]!, 16))
  if (style === 'hexadecimal')
    return /^[0-9a-f]{1,4}$/i.test(given) ? within(parseInt(given, 16)) : 'write it as 0x001F'
  if (style !== "with the table's digit") {
    if (!/^[0-9]{1,6}$/.test(given)) return `a whole number ${style}, or hexadecimal as 0x001F`
    if (style === 'from 1' && Number(given) === 0) return 'there is no place 0 where they are counted from 1'
    return within(Number(given) - Number(style === 'from 1'))
  }
  const whole = /^[0-9]{1,4}$/.test(given) ? `0${given.padStart(4, '0')}` : given
  const found = /^([0134])(?:([0-9]{4,5})|[x:]([0-9]{1,5}))$/i.exec(whole)
  if (!found) return 'a digit for the table (0, 1, 3 or 4) and four or five more, as 40001'
  const number = Number(found[2] ?? found[3])
  if (number === 0) return `counted from 1: ${found[1]}0001 is the first`
  const at = within(number - 1)
  const table = TABLES.find((name) => DIGITS[name] === found[1])!
  return typeof at === 'string' ? at : { ...at, table }
}

const within = (place: number) => (place > LAST ? `beyond the last place, ${LAST} from 0` : { place })
