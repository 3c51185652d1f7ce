/**
 * Findings as people look at them: what is open, what has one cause, what costs most, what can be settled in one way.
 *
 *     const groups = byCause([...plant.findings.values()], harms)
 */
import type { Schemas } from '../api/client'
import type { Finding } from './columns'

/** What has one rule, one cause and one state: a wrong module type that spoils forty points is one of these. */
export interface Group {
  key: string
  rule: string
  station: string
  severity: string
  harm: string
  trips: boolean
  accepted: boolean
  cause: string
  text: string
  findings: Finding[]
  points: number[]
}

/** Whether somebody accepted it and its facts are still those. */
export const accepted = (finding: Finding): boolean => finding.waived?.holds ?? false

/** Whether somebody must settle it: what is accepted, or only to know, is not. */
export const toSettle = (finding: Finding): boolean => !accepted(finding) && finding.severity !== 'note'

const MARKS: Record<string, string> = { bad: '■', settle: '▲', note: '○' }
/** The mark of a finding: a shape for each severity, a tick for what was accepted. */
export const mark = (of: { severity: string; waived?: Finding['waived'] }): string =>
  of.waived?.holds ? '✓' : (MARKS[of.severity] ?? '▲')

/** What a finding says before it says why: for where there is room for a few words. */
export const gist = (text: string): string => text.split(/[:;] /)[0]!

const SEVERITIES = ['bad', 'settle', 'note']
const rank = (all: readonly string[], one: string) => {
  const at = all.indexOf(one)
  return at < 0 ? all.length : at
}

/** Dearest first; a rule's own order decides what nothing else does. */
export function byCost(severity: string, other: string): number {
  return rank(SEVERITIES, severity) - rank(SEVERITIES, other)
}

/** The worst of some findings, undefined for none. */
export function worst(findings: readonly Finding[]): Finding | undefined {
  return findings.reduce<Finding | undefined>(
    (found, next) => (!found || byCost(next.severity, found.severity) < 0 ? next : found),
    undefined,
  )
}

/** Findings by their cause, dearest first: how bad, what it could cost, whether it shuts something, how many places. */
export function byCause(findings: Iterable<Finding>, harms: readonly string[]): Group[] {
  const groups = new Map<string, Group>()
  for (const finding of findings) {
    const is = accepted(finding)
    const cause = finding.cause?.key ?? finding.key
    const key = [finding.rule, cause, finding.severity, is ? finding.waived!.reason : ''].join('\u001f')
    const known = groups.get(key)
    if (known) {
      known.findings.push(finding)
      known.trips ||= finding.trips
    } else
      groups.set(key, {
        key, rule: finding.rule, station: finding.station, severity: finding.severity, harm: finding.harm,
        trips: finding.trips, accepted: is, cause: finding.cause?.says ?? '', text: finding.text, findings: [finding],
        points: [],
      }) // prettier-ignore
  }
  const out = [...groups.values()]
  for (const group of out)
    group.points = [...new Set(group.findings.flatMap((f) => f.cells.map((cell) => cell.point)))]
  const cost = (g: Group) => [
    +g.accepted,
    rank(SEVERITIES, g.severity),
    rank(harms, g.harm),
    +!g.trips,
    -g.points.length,
  ]
  const costs = new Map(out.map((g) => [g, cost(g)]))
  return out.sort((a, b) => {
    const one = costs.get(a)!
    const other = costs.get(b)!
    const at = one.findIndex((part, k) => part !== other[k])
    return at < 0 ? a.rule.localeCompare(b.rule) || a.key.localeCompare(b.key) : one[at]! - other[at]!
  })
}

/** Several groups looked at as one: to settle or to accept them together. The first speaks for them. */
export function together(groups: readonly Group[]): Group | undefined {
  const [first] = groups
  if (!first || groups.length === 1) return first
  return {
    ...first,
    key: groups.map((g) => g.key).join('\u001e'),
    rule: groups.every((g) => g.rule === first.rule) ? first.rule : '',
    cause: '',
    trips: groups.some((g) => g.trips),
    findings: groups.flatMap((g) => g.findings),
    points: [...new Set(groups.flatMap((g) => g.points))],
  }
}

/** What a fix does, without the figures it does it with: what comes before the colon. */
export const kindOf = (label: string): string => label.split(':')[0]!

/** What a harm is, in words. */
export const harmOf = (catalogue: Schemas['RulesOut'], name: string): string =>
  catalogue.harms.find((harm) => harm.name === name)?.says ?? ''
