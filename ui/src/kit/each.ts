/** What a template lists, as an array: the entries of an object with their keys, or of an array with their places. */
export function each<T, R>(of: readonly T[] | undefined, as: (value: T, at: number) => R): R[]
export function each<T, R>(of: Record<string, T> | undefined, as: (value: T, key: string) => R): R[]
export function each<T, R>(
  of: readonly T[] | Record<string, T> | undefined,
  as: (value: T, key: never) => R,
): R[] {
  if (!of) return []
  return Array.isArray(of)
    ? (of as T[]).map((value, at) => as(value, at as never))
    : Object.entries(of).map(([key, value]) => as(value, key as never))
}
