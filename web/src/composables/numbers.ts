/** Machines compute in binary; nobody set 45.00000000000001. */
export const plainNumber = (v: unknown) => (typeof v === 'number' ? String(Number(v.toPrecision(6))) : String(v ?? ''))

/** "1,350" to those who write thousands so. */
const likeThousands = /^[-+]?[1-9]\d{0,2}[.,]\d{3}$/

/**
 * A number as people write it: with the house's own sign before the decimals, or with the other of
 * point and comma; undefined where it is none, or could be read two ways ("1,350" in a house that
 * writes points: one and a third to some, more than a thousand to others).
 */
export function readNumber(text: string, point = '.'): number | undefined {
  const t = text.trim().replace(/^−/, '-')
  const m = /^[-+]?(\d+([.,])?\d*|([.,])\d+)$/.exec(t)
  if (!m) return undefined
  const sign = m[2] ?? m[3] ?? point
  if (sign !== point && likeThousands.test(t)) return undefined
  return Number(t.replace(',', '.'))
}
