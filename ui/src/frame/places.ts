/**
 * Where things are: the places of the rail, the pages of each as tabs, their names for people, and the chapter of the
 * guide that is about them.
 */
import {
  mdiAccountOutline,
  mdiClipboardAlertOutline,
  mdiClipboardCheckOutline,
  mdiFormatListText,
  mdiHelp,
  mdiHistory,
  mdiPulse,
  mdiTrayArrowUp,
  mdiTuneVariant,
  mdiViewColumnOutline,
} from '@mdi/js'

export interface Page {
  /** The route's name. */
  name: string
  to: string
  says: string
  /** The heading of the guide that explains it. */
  guide: string
  /** Other words by which people look for it. */
  also?: string
}

export interface Place {
  says: string
  icon: string
  /** The first is where the place begins. */
  pages: readonly Page[]
  /** Routes that belong to the place and are no tab: one point, one check. */
  within?: readonly string[]
  /** Not among the places of the work: at the foot of the rail, or reached from the bar alone. */
  at?: 'foot' | 'bar'
}

export const PLACES: readonly Place[] = [
  {
    says: 'I/O list',
    icon: mdiFormatListText,
    pages: [{ name: 'list', to: '/list', says: 'I/O list', guide: 'the-list', also: 'points channels sheet' }],
    within: ['path', 'wiring'],
  },
  {
    says: 'Cabinets',
    icon: mdiViewColumnOutline,
    pages: [
      { name: 'cabinets', to: '/cabinets', says: 'cabinets', guide: 'cabinets', also: 'racks modules spare' },
      { name: 'running', to: '/running', says: 'running', guide: 'cabinets', also: 'compare issued configured adopt restore' },
      { name: 'registers', to: '/registers', says: 'register map', guide: 'other-systems', also: 'modbus published display scada panel export' },
      { name: 'served', to: '/served', says: 'served', guide: 'other-systems', also: 'opc ua modbus mqtt sparkplug certificates clients' },
      { name: 'types', to: '/types', says: 'module types', guide: 'cabinets', also: 'manual' },
      { name: 'cables', to: '/cables', says: 'cables', guide: 'wiring', also: 'cores strips terminals' },
      { name: 'finder', to: '/finder', says: 'finder', guide: 'foreign-racks-the-finder', also: 'registers byte order' },
    ],
  },
  {
    says: 'Live',
    icon: mdiPulse,
    pages: [
      { name: 'live', to: '/live', says: 'board', guide: 'live-what-the-plant-says-now', also: 'values trends' },
      { name: 'alarms', to: '/alarms', says: 'alarms', guide: 'alarms', also: 'shelve acknowledge' },
      { name: 'temporary', to: '/temporary', says: 'temporary changes', guide: 'putting-on-holding-temporary-changes', also: 'force bypass jumper' },
      { name: 'scripts', to: '/scripts', says: 'scripts', guide: 'putting-on-holding-temporary-changes', also: 'test sequence' },
      { name: 'learn', to: '/learn', says: 'learn', guide: 'the-idea', also: 'training 4–20' },
    ],
    within: ['now'],
  },
  {
    says: 'Checkout',
    icon: mdiClipboardCheckOutline,
    pages: [
      { name: 'checkout', to: '/checkout', says: 'walk', guide: 'checkout', also: 'loop check calibrate instruments' },
      { name: 'progress', to: '/progress', says: 'how far', guide: 'the-whole-plant', also: 'ladder progress accept' },
      { name: 'packages', to: '/packages', says: 'packages', guide: 'away-from-the-network', also: 'work away tablet bring back' },
      { name: 'punches', to: '/punches', says: 'punch list', guide: 'the-whole-plant', also: 'defects snags mend' },
      { name: 'records', to: '/records', says: 'records', guide: 'the-whole-plant', also: 'signed evidence drift due' },
    ],
    within: ['check', 'trim'],
  },
  {
    says: 'Findings',
    icon: mdiClipboardAlertOutline,
    pages: [{ name: 'findings', to: '/findings', says: 'findings', guide: 'findings', also: 'faults mistakes rules' }],
  },
  {
    says: 'Handover',
    icon: mdiTrayArrowUp,
    pages: [
      { name: 'handover', to: '/handover', says: 'handover', guide: 'handover-files', also: 'export print' },
      { name: 'prints', to: '/prints', says: 'prints', guide: 'prints', also: 'pdf paper loop sheets terminal plan cable list labels cards elevation' },
      { name: 'program', to: '/program', says: 'controller code', guide: 'into-the-controller', also: 'structured text plc program generate prove c99 plcopen' },
      { name: 'import', to: '/import', says: 'bring a list in', guide: 'handover-files', also: 'import csv xlsx' },
      { name: 'revisions', to: '/revisions', says: 'issues', guide: 'history-and-issues', also: 'revisions redline' },
    ],
  },
  {
    says: 'Rules',
    icon: mdiTuneVariant,
    at: 'foot',
    pages: [{ name: 'conventions', to: '/conventions', says: 'rules of the plant', guide: 'rules-the-plants-conventions', also: 'conventions settings' }],
  },
  {
    says: 'History',
    icon: mdiHistory,
    at: 'foot',
    pages: [{ name: 'history', to: '/history', says: 'history', guide: 'history-and-issues', also: 'undo changes who' }],
  },
  {
    says: 'You',
    icon: mdiAccountOutline,
    at: 'foot',
    pages: [{ name: 'account', to: '/account', says: 'you', guide: 'people', also: 'password sign out people backup' }],
  },
  {
    says: 'Guide',
    icon: mdiHelp,
    at: 'bar',
    pages: [{ name: 'guide', to: '/guide', says: 'guide', guide: 'the-idea', also: 'help manual how' }],
  },
] // prettier-ignore

export const PAGES: readonly Page[] = PLACES.flatMap((place) => place.pages)

/** The place that a route belongs to. */
export function placeOf(route: unknown): Place | undefined {
  const name = String(route)
  return PLACES.find(
    (place) => place.within?.includes(name) || place.pages.some((page) => page.name === name),
  )
}

/** The page of a route; that of its place for what has no tab of its own. */
export function pageOf(route: unknown): Page | undefined {
  return PAGES.find((page) => page.name === String(route)) ?? placeOf(route)?.pages[0]
}
