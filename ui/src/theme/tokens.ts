/**
 * Every colour, spacing and size, named for what it means. Components use the names only.
 *
 * Calm when well: stone, graphite, and one copper accent. Amber hatch: settle this. Red: bad. Indigo:
 * not from the field (what-if, injected). Grey italic: stale.
 */
export const light = {
  background: '#e8e5de',
  surface: '#fbfaf6',
  bar: '#f5f3ee',
  band: '#dedad1',
  duct: '#b0aa9d',
  tooth: '#c9c4b8',
  line: '#d3cec3',
  ink: '#24221e',
  quiet: '#5b564e',
  copper: '#a34c25',
  'copper-wash': '#fbeee5',
  settle: '#7a5200',
  'settle-wash': '#fdf3d9',
  bad: '#b01f1a',
  'bad-wash': '#fbe4e1',
  apart: '#3340a8',
  'apart-wash': '#e9ebfb',
  rail: '#2a2824',
  'rail-ink': '#dcd7cc',
}

export const dark: typeof light = {
  background: '#1b1a17',
  surface: '#262421',
  bar: '#22201d',
  band: '#34312c',
  duct: '#5d584f',
  tooth: '#49453e',
  line: '#403c36',
  ink: '#eeeae1',
  quiet: '#b0aa9e',
  copper: '#e39a70',
  'copper-wash': '#3b2a20',
  settle: '#efc15a',
  'settle-wash': '#3a3017',
  bad: '#ff8f85',
  'bad-wash': '#43201d',
  apart: '#a9b3ff',
  'apart-wash': '#262b4d',
  rail: '#131210',
  'rail-ink': '#cfc9bd',
}

/** The foreground on a copper area. */
const onCopper = { light: '#ffffff', dark: '#221409' }

/** Vuetify's theme definitions from the tokens. */
export function themes() {
  const of = (tokens: typeof light, isDark: boolean) => ({
    dark: isDark,
    colors: {
      ...tokens,
      primary: tokens.copper,
      'on-primary': isDark ? onCopper.dark : onCopper.light,
      error: tokens.bad,
      warning: tokens.settle,
      info: tokens.apart,
      'on-surface': tokens.ink,
      'on-background': tokens.ink,
    },
  })
  return { light: of(light, false), dark: of(dark, true) }
}
