/** The one door to the server: typed by the OpenAPI document, with the CSRF header on every change. */
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Problem = Schemas['Problem']

let csrf = ''

export function setCsrf(token: string): void {
  csrf = token
}

/** What a change must carry, for requests that do not go through the client below. */
export const csrfHeader = () => ({ 'X-Canaleta-Csrf': csrf })

export const api = createClient<paths>({ baseUrl: location.origin })
api.use({
  onRequest({ request }) {
    if (csrf) request.headers.set('X-Canaleta-Csrf', csrf)
    return request
  },
})

/** What went wrong, in words for the person: from the server's problem, or that it does not answer. */
export function problemOf(error: unknown): Problem {
  if (error && typeof error === 'object' && 'title' in error) return error as Problem
  return {
    type: 'about:blank',
    title: 'the server does not answer',
    status: 0,
    detail: 'nothing was changed',
    remedy: 'what you typed is kept: try again when it is back',
    cells: [],
  }
}

/** A problem in one line: what went wrong and what to do. */
export function said(problem: Problem): string {
  return [problem.title, problem.remedy].filter(Boolean).join(' · ')
}

/** Run a request; the data, or the problem. A server that cannot be reached is a problem like any other. */
export async function ask<T>(
  request: Promise<{ data?: T; error?: unknown }>,
): Promise<{ data: NonNullable<T>; problem?: undefined } | { data?: undefined; problem: Problem }> {
  try {
    const { data, error } = await request
    return data == null || error !== undefined ? { problem: problemOf(error) } : { data }
  } catch {
    return { problem: problemOf(undefined) }
  }
}
