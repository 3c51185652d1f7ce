/** The instrument that somebody measures with, as this browser remembers it from point to point. */
export interface Instrument {
  instrument: string
  serial: string
  due: string
}

const NAMES = ['instrument', 'serial', 'due'] as const

export function remembered(): Instrument {
  const kept = (name: string) => localStorage.getItem(`canaleta-${name}`) ?? ''
  return { instrument: kept('instrument'), serial: kept('serial'), due: kept('due') }
}

export function remember(instrument: Instrument): void {
  for (const name of NAMES) localStorage.setItem(`canaleta-${name}`, instrument[name])
}
