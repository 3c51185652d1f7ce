/** A module type while it is typed in: what follows by itself is filled in, so that a manual's few lines suffice. */
import type { Schemas } from '../../api/client'
import type { Style } from './places'
import { countOf, placed, type NumberForm, type RunBody, type WordBody } from './typeMap'

export interface ModeBody {
  name: string
  family: string
  signal_unit: string
  signal: { low: number; high: number }
  counts: { low: number; high: number }
  least?: number | null
  most?: number | null
  curve?: string
  [more: string]: unknown
}

export interface GroupBody {
  first: number
  count: number
  name?: string
  direction: string
  modes: string[]
  terminals: { mark: string; role: string }[]
  first_terminal?: number
  feeds_loop?: boolean
  common?: string
}

export interface SettingBody {
  of: string
  codes: Record<string, number>
  per_unit?: number
  least?: number
  most?: number
  usual?: number
  delivered?: string
  table?: 'holding registers' | 'coils'
  at?: number | null
  read_table?: '' | 'holding registers' | 'input registers' | 'coils' | 'discrete inputs'
  read_at?: number | null
  [more: string]: unknown
}

/** Where a module says which firmware it has; oldest: the first that does what its type says. */
export interface FirmwareBody {
  table: 'holding registers' | 'input registers'
  at: number
  words?: number
  written: string
  oldest?: string
}

export interface TypeBody {
  key: string
  title: string
  summary: string
  channels: number
  direction: string
  common?: string
  terminals: { mark: string; role: string }[]
  modes: ModeBody[]
  registers: RunBody[]
  status_words?: WordBody[]
  numbering?: Style
  unconfirmed?: string[]
  filters?: { name: string; time_ms?: number; rejects_hz?: number; stages?: number }[]
  settings?: SettingBody[]
  groups?: GroupBody[]
  after_settings?: { name: string; table: 'holding registers' | 'coils'; at: number; word: number }[]
  firmware?: FirmwareBody | null
  fixed?: Record<string, string>
  statements?: { about: string; says: string }[]
  supply?: { low: number; high: number } | null
  open_choices?: string[]
  signed?: boolean
  status?: { bit_base: number; one_means: string } | null
  word?: NumberForm | null
  [more: string]: unknown
}

export const FAMILIES: Record<string, { label: string; units: string[] }> = {
  linear: { label: 'current, voltage, Ω, Hz', units: ['mA', 'V', 'mV', 'Ω', 'Hz', 'pulses', 'mV/V', '%'] },
  thermocouple: { label: 'thermocouple', units: ['°C', '°F', 'K'] },
  resistance: { label: 'resistance thermometer', units: ['°C', '°F', 'K', 'Ω'] },
  contact: { label: 'discrete', units: ['V', 'mA'] },
}

export const ROLES = ['24 V out', 'signal in', 'signal out', '0 V', 'plus', 'minus', 'sense', 'sense 2', 'common', 'neutral'] // prettier-ignore
/** Settings that are figures, not choices. */
export const FIGURES = ['PWM frequency', 'dither frequency', 'dither', 'least duty', 'most duty']

/** The names that a setting of a channel can have. */
export function choicesOf(body: TypeBody, of: string): string[] {
  return (
    {
      mode: body.modes.map((m) => m.name),
      filter: (body.filters ?? []).map((f) => f.name),
      'open circuit': body.open_choices ?? [],
      enabled: ['yes', 'no'],
    }[of] ?? []
  )
}

export function blankMode(): ModeBody {
  return {
    name: '4–20 mA',
    family: 'linear',
    signal_unit: 'mA',
    signal: { low: 4, high: 20 },
    counts: { low: 0, high: 30000 },
    burden_ohm: 100,
  }
}

export function blankType(): TypeBody {
  return {
    key: '',
    title: '',
    summary: '',
    channels: 4,
    direction: 'in',
    common: '',
    terminals: [
      { mark: '{n}', role: 'plus' },
      { mark: '{n}', role: 'minus' },
    ],
    modes: [blankMode()],
    registers: [{ holds: 'channel words', count: 4 }],
    filters: [],
    settings: [],
    signed: true,
    numbering: 'from 0',
    status_words: [],
    unconfirmed: [],
  }
}

/** "AI-4 special" → "ai-4-special": the name a type has in files. */
export function keyOf(title: string): string {
  return title
    .toLowerCase()
    .normalize('NFKD')
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
}

/** The registers that so many channels need, keeping what else the module occupies. A map that somebody has laid out is
 * left as it is, but for how many places its runs need. */
export function registersFor(body: TypeBody): TypeBody['registers'] {
  if (body.registers.some(placed))
    return body.registers.map((run) => ({
      ...run,
      count: Math.max(1, countOf(run, body.channels, body.word)),
    }))
  const bits = body.modes.every((m) => m.family === 'contact')
  const words = body.word?.bits === 32 ? 2 : 1
  const before = body.registers.find((r) => r.holds.startsWith('channel'))
  const first = bits
    ? { ...before, holds: 'channel bits', count: Math.ceil(body.channels / 16) }
    : { ...before, holds: 'channel words', count: body.channels * words }
  const rest = body.registers.filter((r) => !r.holds.startsWith('channel'))
  return [
    first,
    ...rest.map((r) =>
      r.holds === 'status bits'
        ? { ...r, count: Math.ceil(body.channels / 16) }
        : r.holds === 'other numbers'
          ? { ...r, count: body.channels }
          : r,
    ),
  ]
}

/** Whether a field of a mode has a meaning for its kind and unit; the form shows no other. */
function belongs(name: string, mode: ModeBody, body: TypeBody): boolean {
  const contact = mode.family === 'contact'
  const degrees = ['°C', '°F', 'K'].includes(mode.signal_unit)
  switch (name) {
    case 'burden_ohm':
      return mode.family === 'linear' && mode.signal_unit === 'mA'
    case 'input_ohm':
      return contact || (mode.family === 'linear' && mode.signal_unit !== 'mA')
    case 'curve':
      return ['thermocouple', 'resistance'].includes(mode.family) && degrees
    case 'wires':
      return mode.family === 'resistance'
    case 'rated_ma':
      return (
        body.direction === 'out' ||
        mode.direction === 'out' ||
        !!body.groups?.some((g) => g.direction === 'out')
      )
    case 'off_below_v':
    case 'on_from_v':
    case 'input_type':
    case 'break_below':
    case 'short_from':
    case 'source_v':
    case 'source_ohm':
      return contact
    case 'open_counts':
    case 'accuracy_percent':
      return !contact
    default:
      return true
  }
}

/** The type as it is sent, without what cannot be seen in the form: a key from the title, no empty figures, settings whose numbers cover their choices. */
export function tidied(body: TypeBody | undefined): TypeBody {
  if (!body) return blankType()
  const empty = (value: unknown) => value === '' || value === null || value === undefined
  const modes = body.modes.map(
    (m) =>
      Object.fromEntries(
        Object.entries(m).filter(([name, v]) => !empty(v) && belongs(name, m, body)),
      ) as ModeBody,
  )
  const names: Record<string, string[]> = {
    mode: modes.map((m) => m.name),
    filter: (body.filters ?? []).map((f) => f.name),
    'open circuit': body.open_choices ?? [],
    enabled: ['yes', 'no'],
  }
  const settings = (body.settings ?? []).map((s) => {
    // A setting that is a figure has no choices; what it has is not shown here, and stays.
    if (!names[s.of]) return s
    let next = Math.max(-1, ...Object.values(s.codes))
    const before = Object.entries(s.codes).flatMap(([name, code]) => (name === 'off' ? [] : [code]))
    const mine = names[s.of] ?? []
    // A choice that is only called otherwise keeps its number: it stands where it stood.
    const kept = before.length === mine.length ? before : []
    const codes = Object.fromEntries(mine.map((name, i) => [name, s.codes[name] ?? kept[i] ?? ++next]))
    if (s.of === 'mode' && s.codes.off !== undefined) codes.off = s.codes.off
    const rest = Object.fromEntries(Object.entries(s).filter(([, v]) => !empty(v))) as SettingBody
    return { ...rest, codes }
  })
  // A way that is called otherwise now is called so in its group as well.
  const known = new Set(modes.map((m) => m.name))
  const groups = (body.groups ?? []).map((g) => ({ ...g, modes: g.modes.filter((name) => known.has(name)) }))
  const whole = Object.fromEntries(Object.entries(body).filter(([, v]) => !empty(v))) as TypeBody
  if (whole.statements) whole.statements = whole.statements.filter((s) => s.about.trim() && s.says.trim())
  return { ...whole, title: body.title, key: body.key || keyOf(body.title), modes, settings, groups }
}

interface KindOfChannels {
  first: number
  count: number
  direction: string
  bits: boolean
}

/** Ways and groups for channels of several kinds: each kind has those that suit it, or one that is usual. */
function withKinds(body: TypeBody, kinds: KindOfChannels[]): Pick<TypeBody, 'modes' | 'groups'> {
  const modes: ModeBody[] = []
  const groups = kinds.map((kind): GroupBody => {
    const out = kind.direction === 'out'
    const mine = body.modes.filter((m) => (m.family === 'contact') === kind.bits && (kind.bits || !out))
    const usual = kind.bits
      ? { name: '24 V DC', family: 'contact', signal_unit: 'V', signal: { low: 0, high: 24 }, counts: { low: 0, high: 1 } } // prettier-ignore
      : blankMode()
    const names = (mine.length ? mine : [usual]).map((mode) => {
      const name = out ? `${mode.name} out` : mode.name
      if (!modes.some((m) => m.name === name)) modes.push({ ...mode, name, ...(out ? { burden_ohm: '', rated_ma: kind.bits ? 500 : 22 } : {}) }) // prettier-ignore
      return name
    })
    return { first: kind.first, count: kind.count, direction: kind.direction, modes: names, terminals: [] }
  })
  return { modes, groups }
}

/** The type with what a pasted table of its manual gave; what was guessed waits for somebody to confirm it. */
export function takenIn(
  body: TypeBody,
  what: 'modes' | 'registers' | 'bits',
  found: Pick<Schemas['ManualOut'], 'parts' | 'guesses' | 'codes'>,
): TypeBody {
  const parts = found.parts as Partial<TypeBody> & { bits?: WordBody['bits'] }
  const unconfirmed = [...new Set([...(body.unconfirmed ?? []), ...found.guesses])]
  const out: TypeBody = { ...body, unconfirmed }
  if (what === 'modes') {
    out.modes = parts.modes ?? body.modes
    const rest = (body.settings ?? []).filter((s) => s.of !== 'mode')
    const before = (body.settings ?? []).find((s) => s.of === 'mode')
    out.settings = Object.keys(found.codes).length
      ? [{ ...before, of: 'mode', codes: found.codes }, ...rest]
      : rest
  } else if (what === 'registers') {
    out.registers = parts.registers ?? body.registers
    const kinds = (found.parts as { groups?: KindOfChannels[] }).groups
    if (kinds?.length) Object.assign(out, withKinds(body, kinds))
    out.channels = parts.channels ?? body.channels
    const before = body.status_words ?? []
    // Bits that were told before stay with the word that has come now.
    out.status_words = (parts.status_words ?? []).map((word, i) => ({
      ...word,
      bits: before[i]?.bits ?? word.bits,
      reset: word.reset ?? before[i]?.reset ?? null,
    }))
    if (!out.status_words.length) out.status_words = before
    // A setting without a choice that anybody has told says nothing yet.
    const told = (parts.settings ?? []).filter((s) => choicesOf(out, s.of).length)
    const kept = (body.settings ?? []).filter((s) => !told.some((t) => t.of === s.of))
    const known = (of: string) => body.settings?.find((s) => s.of === of)?.codes ?? {}
    out.settings = [...told.map((s) => ({ ...s, codes: known(s.of) })), ...kept]
    out.after_settings = parts.after_settings ?? body.after_settings ?? []
    if (parts.firmware) out.firmware = { ...body.firmware, ...parts.firmware }
    // A single fault bit a channel was another way to say it.
    if (!out.registers.some((run) => run.holds === 'status bits')) out.status = null
  } else {
    const [first, ...rest] = body.status_words ?? []
    out.status_words = [{ ...(first ?? { at: 0, step: 1, channels_a_word: 1, bit_base: 0 }), bits: parts.bits ?? [] }, ...rest] // prettier-ignore
  }
  return out
}

/** The type with one change that a look at the real thing proposed. */
export function mended(
  body: TypeBody,
  doubt: Pick<Schemas['DoubtOut'], 'run' | 'word' | 'bit' | 'changes'>,
): TypeBody {
  if (doubt.run >= 0)
    return {
      ...body,
      registers: body.registers.map((run, i) => (i === doubt.run ? { ...run, ...doubt.changes } : run)),
    }
  return {
    ...body,
    status_words: (body.status_words ?? []).map((word, w) =>
      w === doubt.word
        ? { ...word, bits: word.bits.map((bit, b) => (b === doubt.bit ? { ...bit, ...doubt.changes } : bit)) }
        : word,
    ),
  }
}
