import { describe, expect, it } from 'vitest'
import { readNumber } from './numbers'
import { readStanding, type Standing } from './standing'
import { restingOn, turned } from './turns'

const now = (more: Partial<Standing> = {}): Standing => ({
  stand: { turn: [1, 0, 0, 0], scale: [1, 1, 1] },
  size: [40, 20, 10],
  fit: 0.52345678,
  read: (t) => readNumber(t, ','),
  ...more,
})
const half = Math.SQRT1_2
const said = (line: string, n = now()) => {
  const s = readStanding(line, n)
  if (!('stand' in s)) return s
  return {
    turn: s.stand.turn.map((v) => Number(v.toFixed(6)) + 0),
    scale: s.stand.scale.map((v) => Number(v.toFixed(9))),
    mirror: s.stand.mirror,
    why: s.why,
  }
}
const as = (more: object) => ({ turn: [1, 0, 0, 0], scale: [1, 1, 1], mirror: false, why: '', ...more })
const h6 = Number(half.toFixed(6))

describe('the typed line of a piece', () => {
  it('says the nozzle, and along which way it is pulled: as it stands, told in the model', () => {
    expect(readStanding('Nozzle 2', now())).toEqual({ nozzle: 2 })
    expect(readStanding('nozzle 3', now())).toHaveProperty('wrong')
    expect(readStanding('no pull', now())).toEqual({ load: null })
    expect(readStanding('pull y', now())).toEqual({ load: [0, 1, 0] })
    const stood = now({ stand: { turn: [half, half, 0, 0], scale: [1, 2, 1], mirror: true } })
    const round = (s: object) => ('load' in s ? (s.load as number[]).map((v) => Number(v.toFixed(6)) + 0) : s)
    // It was turned about x by 90°: what is up now was y in the model, which is twice as long.
    expect(round(readStanding('pull z', stood))).toEqual([0, 0.5, 0])
    expect(round(readStanding('pull x', stood))).toEqual([-1, 0, 0])
    expect(round(readStanding('pull y', stood))).toEqual([0, 0, -1])
  })
})

describe('the typed line of how a piece stands', () => {
  it.each([
    ['x 90', as({ turn: [h6, h6, 0, 0] })],
    ['Y -90°', as({ turn: [h6, 0, -h6, 0] })],
    ['z12,5', as({ turn: [0.994056, 0, 0, 0.108867] })],
    ['80%', as({ scale: [0.8, 0.8, 0.8] })],
    ['80,5 % because it has to fit the box', as({ scale: [0.805, 0.805, 0.805], why: 'it has to fit the box' })],
    ['z 45 mm', as({ scale: [4.5, 4.5, 4.5] })],
    ['x 2 in', as({ scale: [1.27, 1.27, 1.27] })],
    ['y 1cm', as({ scale: [0.5, 0.5, 0.5] })],
    ['only z 45 mm', as({ scale: [1, 1, 4.5] })],
    ['only x 50 %', as({ scale: [0.5, 1, 1] })],
    ['fit', as({ scale: [0.5234, 0.5234, 0.5234] })],
    ['mirror', as({ mirror: true })],
    ['as it came', as({})],
    ['best', { best: true }],
  ])('reads %s', (line, want) => expect(said(line)).toEqual(want))

  it('sizes what stands on its side along the plate', () => {
    const side = now({ stand: { turn: [half, half, 0, 0], scale: [1, 2, 0] } }) // its y stands up
    expect(said('only z 5 mm', side)).toMatchObject({ scale: [1, 1, 1] })
    expect(said('z 5 mm', side)).toMatchObject({ scale: [0.5, 1, 0.5] })
    expect(said('as it came', side)).toEqual(as({}))
  })

  it.each([
    '',
    'x',
    '45',
    '45 mm',
    'x 1,2,3 mm',
    'w 90',
    '0 %',
    '-5 %',
    'z 0 mm',
    'only x 90',
    'only 80 %',
    'turn it',
    'x 90 %%',
    'because',
  ])('refuses %j with words', (line) => {
    const s = said(line)
    expect('wrong' in s && s.wrong).toMatch(/\.$/)
  })

  it('does not size one axis of what leans, nor fit where nothing is known', () => {
    expect(
      said('only z 5 mm', now({ stand: { turn: turned([1, 0, 0, 0], 'x', 30), scale: [1, 1, 1] } })),
    ).toHaveProperty('wrong')
    expect(said('fit', now({ fit: undefined }))).toHaveProperty('wrong')
  })

  it('rests on a face: its way out looks down, whatever the piece was scaled to', () => {
    const down = (turn: readonly number[], n: number[]) => {
      const [w, x, y, z] = turn as [number, number, number, number]
      return 2 * (x * z - w * y) * n[0]! + 2 * (y * z + w * x) * n[1]! + (1 - 2 * (x * x + y * y)) * n[2]!
    }
    const s = { turn: [1, 0, 0, 0], scale: [1, 1, 1] }
    expect(down(restingOn([1, 0, 0], s), [1, 0, 0])).toBeCloseTo(-1)
    expect(down(restingOn([0, 0, 1], s), [0, 0, 1])).toBeCloseTo(-1)
    const n = [0.6, 0, 0.8] as [number, number, number] // of a face that leans, on a piece half as wide
    const m = [0.6 / 0.5, 0, 0.8].map((v) => v / Math.hypot(1.2, 0.8))
    expect(down(restingOn(n, { turn: [half, 0, 0, half], scale: [0.5, 1, 1] }), m)).toBeCloseTo(-1)
    expect(down(restingOn([1, 0, 0], { ...s, mirror: true }), [-1, 0, 0])).toBeCloseTo(-1)
  })
})
