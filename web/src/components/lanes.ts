import type { FloorView, LaneView, RunView } from '../api/client'

/** Where a run could be put: the machine, and the place among its queued runs. */
export interface Place {
  machine_id: number
  place: number
}

export const queued = (l: LaneView) => l.runs.filter((r) => r.movable)

/** What a run is called: by all whose parts lie on its plate. */
export const titleOf = (r: RunView) => r.shares?.map((s) => s.title).join(' + ') ?? r.title

const laneOf = (floor: FloorView, run: RunView) => floor.lanes.find((l) => l.machine_id === run.machine_id)

/** One place earlier (-1) or later (+1) in its lane; undefined at the end. */
export function shifted(floor: FloorView, run: RunView, by: number): Place | undefined {
  const lane = laneOf(floor, run)
  if (!lane || !run.movable) return undefined
  const q = queued(lane)
  const to = q.findIndex((r) => r.id === run.id) + by
  return to < 0 || to >= q.length ? undefined : { machine_id: run.machine_id, place: to }
}

/** The end of the next machine's lane in service, up (-1) or down (+1). */
export function moved(floor: FloorView, run: RunView, by: number): Place | undefined {
  if (!run.movable) return undefined
  let i = floor.lanes.findIndex((l) => l.machine_id === run.machine_id) + by
  while (floor.lanes[i] && !floor.lanes[i]!.in_service) i += by
  const lane = floor.lanes[i]
  return lane && { machine_id: lane.machine_id, place: queued(lane).length }
}

/** The place for a run dropped on a lane at a moment: after every run whose middle lies before it. */
export function placeAt(lane: LaneView, run: RunView, at: number): Place {
  const place = queued(lane).filter(
    (r) => r.id !== run.id && r.start && r.finish && (Date.parse(r.start) + Date.parse(r.finish)) / 2 < at,
  ).length
  return { machine_id: lane.machine_id, place }
}

/**
 * The floor with a run at another place, its lane and the one it leaves laid anew, one run behind
 * the other: what is shown until the server's plan comes, which knows the hours.
 */
export function withRunAt(floor: FloorView, id: number, to: Place): FloorView {
  const run = floor.lanes.flatMap((l) => l.runs).find((r) => r.id === id)
  if (!run) return floor
  const lanes = floor.lanes.map((l) => {
    const rest = queued(l).filter((r) => r.id !== id)
    if (l.machine_id === to.machine_id) rest.splice(to.place, 0, { ...run, machine_id: l.machine_id })
    else if (l.machine_id !== run.machine_id) return l
    const fixed = l.runs.filter((r) => !r.movable)
    const first = Date.parse(fixed.at(-1)?.finish ?? queued(l)[0]?.start ?? floor.now)
    let at = Number.isNaN(first) ? Date.parse(floor.now) : first
    const laid = rest.map((r) => {
      const start = new Date(at).toISOString()
      at += 1000 * r.seconds
      return { ...r, start, finish: new Date(at).toISOString() }
    })
    return { ...l, runs: [...fixed, ...laid] }
  })
  return { ...floor, lanes }
}
