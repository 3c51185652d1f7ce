/** What can be said of a mode or a type beyond what every manual says: a line each, shown where it has a meaning. */
import type { ModeBody, TypeBody } from './typeBody'

export interface FieldSpec {
  name: string
  label: string
  unit?: string
  /** A figure if nothing is said. */
  kind?: 'check' | 'choice' | 'text'
  choices?: { value: string | number; title: string }[]
  placeholder?: string
}

const named = (...names: string[]) =>
  names.map((name) => ({ value: name, title: name || 'as the channel does' }))

const OF_NUMBERS: FieldSpec[] = [
  { name: 'step', label: 'the count moves at once by', placeholder: '1' },
  { name: 'rounding', label: 'a fraction of a count is', kind: 'choice', choices: [
    { value: 'nearest', title: 'rounded to the nearest' }, { value: 'down', title: 'rounded down' },
    { value: 'toward zero', title: 'cut off' }, { value: 'none', title: 'kept' },
  ] },
  { name: 'short_counts', label: 'count when short', placeholder: 'none' },
  { name: 'under_counts', label: 'count below the range', placeholder: 'the limit' },
  { name: 'over_counts', label: 'count above the range', placeholder: 'the limit' },
  { name: 'drift_ppm_per_k', label: 'drift', unit: 'ppm of span per K', placeholder: 'unknown' },
] // prettier-ignore

const OF_CONTACTS: FieldSpec[] = [
  { name: 'current', label: 'switches', kind: 'choice', choices: [{ value: 'DC', title: 'DC' }, { value: 'AC', title: 'AC' }] },
  { name: 'break_below', label: 'wire break below' },
  { name: 'short_from', label: 'short circuit from' },
  { name: 'source_v', label: 'fed with', unit: 'V', placeholder: '0: not fed' },
  { name: 'source_ohm', label: 'behind', unit: 'Ω' },
] // prettier-ignore

const OF_ALL: FieldSpec[] = [
  { name: 'follows_supply', label: 'its span and levels move with the supply', kind: 'check' },
  { name: 'at_supply_v', label: 'span and levels are said at a supply of', unit: 'V', placeholder: '24; 1: as shares of it' },
  { name: 'direction', label: 'in this way the channel', kind: 'choice', choices: [
    { value: '', title: 'does as the others do' }, { value: 'in', title: 'listens' }, { value: 'out', title: 'drives' },
  ] },
] // prettier-ignore

/** What else can be said of a mode of this kind. */
export function modeFields(mode: ModeBody, body: TypeBody): FieldSpec[] {
  const out: FieldSpec[] = mode.family === 'contact' ? [...OF_CONTACTS] : [...OF_NUMBERS]
  if (mode.family === 'resistance')
    out.unshift({ name: 'wires', label: 'built for wires', kind: 'choice', choices: [0, 2, 3, 4].map((n) => ({ value: n, title: n ? String(n) : 'any' })) }) // prettier-ignore
  if (body.direction === 'out' || mode.direction === 'out') out.push({ name: 'rated_ma', label: 'may switch or drive', unit: 'mA', placeholder: 'not told' }, { name: 'load_least_ohm', label: 'load at least', unit: 'Ω', placeholder: 'any' }, { name: 'load_most_ohm', label: 'load at most', unit: 'Ω', placeholder: 'any' }) // prettier-ignore
  const beside = body.registers.filter((r) => r.holds === 'other numbers' && r.says).map((r) => r.says!)
  if (beside.length) out.push({ name: 'reads', label: 'it reads', kind: 'choice', choices: [{ value: '', title: 'the channel’s own number' }, ...beside.map((says) => ({ value: says, title: says }))] }) // prettier-ignore
  return [...out, ...OF_ALL]
}

export const TYPE_FIELDS: FieldSpec[] = [
  { name: 'channels_a_group', label: 'channels that share an isolation group (0: all)' },
  { name: 'channels_a_fuse', label: 'channels behind one fuse (0: none)' },
  { name: 'fuse_ma', label: 'that fuse', unit: 'mA' },
  { name: 'loop_ma', label: 'feeds to devices, at most', unit: 'mA' },
  { name: 'junction_per_degree', label: 'cold junction: a degree is', placeholder: '10' },
  {
    name: 'junction_unit',
    label: 'in',
    kind: 'choice',
    choices: ['°C', '°F', 'K'].map((name) => ({ value: name, title: name })),
  },
  { name: 'feed_v', label: 'its terminals give, V (0: the plant’s supply)' },
  { name: 'feed_drop_v', label: 'lost before the terminals', unit: 'V' },
  { name: 'draw_ma', label: 'takes from 24 V for itself', unit: 'mA' },
  { name: 'gives_ma', label: 'gives to 24 V', unit: 'mA' },
  { name: 'backplane_ma', label: 'takes from the rack’s bus', unit: 'mA' },
  { name: 'backplane_gives_ma', label: 'gives to the rack’s bus', unit: 'mA' },
  { name: 'heat_w', label: 'heat', unit: 'W' },
  { name: 'coldest_degc', label: 'works from', unit: '°C', placeholder: 'not told' },
  { name: 'hottest_degc', label: 'works up to', unit: '°C', placeholder: 'not told' },
  { name: 'ident_code', label: 'number it reports itself by', placeholder: 'none' },
  {
    name: 'on_bus_stop',
    label: 'when nobody writes, outputs',
    kind: 'choice',
    choices: [
      { value: '', title: 'not told' },
      ...['hold the last value', 'go to zero', 'go to a set value', 'switch off'].map((name) => ({ value: name, title: name })), // prettier-ignore
    ],
  },
  { name: 'watch_s', label: 'after', unit: 's' },
  { name: 'takes_slot', label: 'it takes a slot', kind: 'check' },
  { name: 'ends_bus', label: 'it ends the bus', kind: 'check' },
  { name: 'forces', label: 'channels can be forced in it', kind: 'check' },
  { name: 'commands', label: 'outputs are given their values in it', kind: 'check' },
]

export const FIGURE_FIELDS: FieldSpec[] = [
  { name: 'per_unit', label: 'one is written as' },
  { name: 'least', label: 'from' },
  { name: 'most', label: 'to' },
  { name: 'usual', label: 'delivered as' },
]

/** Where a setting stands, for one that is not simply the next register. */
export const PLACE_FIELDS: FieldSpec[] = [
  { name: 'table', label: 'written in', kind: 'choice', choices: named('holding registers', 'coils') },
  { name: 'step', label: 'next channel after', placeholder: '1' },
  { name: 'channels_a_place', label: 'channels in one place (0: all)', placeholder: '1' },
  { name: 'low_bit', label: 'first bit', placeholder: '0' },
  { name: 'bits', label: 'bits', placeholder: '16' },
  { name: 'bit_step', label: 'next channel after, bits', placeholder: '0' },
  { name: 'read_table', label: 'read in', kind: 'choice', choices: [
    { value: '', title: 'where it is written' }, ...named('holding registers', 'input registers', 'coils', 'discrete inputs'),
  ] },
  { name: 'restart', label: 'acts after a restart', kind: 'check' },
] // prettier-ignore
