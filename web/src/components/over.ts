import type { LadderRow } from '../api/client'
import type { Formats } from '../composables/format'

/** "12.4 mm over in X, 3.0 mm over in Z". */
export function overWords(r: Pick<LadderRow, 'over_mm' | 'shape'>, f: Formats): string {
  const axes = r.shape === 'round' ? ['in diameter', '', 'in Z'] : ['in X', 'in Y', 'in Z']
  return r.over_mm
    .map((v, i) => (v > 0 && axes[i] ? `${f.number(v, 1)} mm over ${axes[i]}` : ''))
    .filter(Boolean)
    .join(', ')
}
