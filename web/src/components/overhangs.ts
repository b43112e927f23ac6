import type { SupportMark, Overhang } from '../api/client'

/** The edges of a box given by eight corners (bit 0 is x, 1 is y, 2 is z), as lines of six numbers. */
export function boxLines(corners: Overhang['corners_mm']): number[][] {
  const c = corners ?? []
  if (c.length !== 8) return []
  const out: number[][] = []
  for (let a = 0; a < 8; a++)
    for (const bit of [1, 2, 4]) if (!(a & bit)) out.push([...(c[a] ?? []), ...(c[a | bit] ?? [])])
  return out
}

/** The middle of a box. */
export function middle(corners: Overhang['corners_mm']): number[] {
  const c = corners ?? []
  return [0, 1, 2].map((k) => c.reduce((sum, p) => sum + (p?.[k] ?? 0), 0) / Math.max(1, c.length))
}

/** Marks a overhang; one that is marked already is changed. */
export function marked(marks: readonly SupportMark[], overhang: Overhang, putIn: boolean): SupportMark[] {
  const same = JSON.stringify(overhang.corners_mm)
  return [
    ...marks.filter((m) => JSON.stringify(m.corners_mm) !== same),
    { corners_mm: overhang.corners_mm, put_in: putIn, why: '' },
  ]
}

export const markOf = (marks: readonly SupportMark[], overhang: Overhang) =>
  marks.find((m) => JSON.stringify(m.corners_mm) === JSON.stringify(overhang.corners_mm))
