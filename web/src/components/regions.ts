import type { Mark, Region } from '../api/client'

/** The edges of a box given by eight corners (bit 0 is x, 1 is y, 2 is z), as lines of six numbers. */
export function boxLines(corners: Region['corners_mm']): number[][] {
  const c = corners ?? []
  if (c.length !== 8) return []
  const out: number[][] = []
  for (let a = 0; a < 8; a++) for (const bit of [1, 2, 4]) if (!(a & bit)) out.push([...(c[a] ?? []), ...(c[a | bit] ?? [])])
  return out
}

/** The middle of a box. */
export function middle(corners: Region['corners_mm']): number[] {
  const c = corners ?? []
  return [0, 1, 2].map((k) => c.reduce((sum, p) => sum + (p?.[k] ?? 0), 0) / Math.max(1, c.length))
}

/** Marks a region; one that is marked already is changed. */
export function marked(marks: readonly Mark[], region: Region, putIn: boolean): Mark[] {
  const same = JSON.stringify(region.corners_mm)
  return [...marks.filter((m) => JSON.stringify(m.corners_mm) !== same), { corners_mm: region.corners_mm, put_in: putIn, why: '' }]
}

export const markOf = (marks: readonly Mark[], region: Region) => marks.find((m) => JSON.stringify(m.corners_mm) === JSON.stringify(region.corners_mm))
