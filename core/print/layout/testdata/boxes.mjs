// How many plates maxrects-packer needs for sets of boxes: a list for a list.
import { readFileSync } from 'node:fs'
import { MaxRectsPacker, PACKING_LOGIC } from '../../../../web/node_modules/maxrects-packer/dist/maxrects-packer.mjs'

const sets = JSON.parse(readFileSync(process.argv[2], 'utf8'))
const plates = sets.map(({ plate, apart, sizes }) =>
  Math.min(
    ...[PACKING_LOGIC.MAX_EDGE, PACKING_LOGIC.MAX_AREA].flatMap((logic) =>
      [false, true].map((allowRotation) => {
        const packer = new MaxRectsPacker(plate[0], plate[1], apart, { smart: true, pot: false, square: false, allowRotation, logic })
        packer.addArray(sizes.flatMap(([width, height, n]) => Array.from({ length: n }, () => ({ width, height, data: 0 }))))
        return packer.bins.length
      }),
    ),
  ),
)
console.log(JSON.stringify(plates))
