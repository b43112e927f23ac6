import type { Condition, RuleFact } from '../api/client'

export const joinWords = { all: 'all of these', any: 'any of these', none: 'none of these' } as const
export type Join = keyof typeof joinWords

/** How a condition's parts are joined; one by itself is all of one. */
export function groupOf(c: Condition): { join: Join; of: Condition[] } {
  for (const join of ['all', 'any', 'none'] as const) if (c[join]) return { join, of: c[join] }
  return { join: 'all', of: [c] }
}

/** A condition on a fact, as it begins. */
export function emptyOf(facts: readonly RuleFact[], key: string): Condition {
  const fact = facts.find((x) => x.key === key)
  const c: Condition = { fact: key, op: fact?.ops[0] as Condition['op'] }
  if (fact?.kind === 'number') c.number = 0
  else if (fact?.kind !== 'flag') c.names = fact?.names ? [fact.names[0]!] : []
  return c
}
