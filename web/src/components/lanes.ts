import type { FloorView, LaneView, RunView } from '../api/client'

/** Where a run could be put: the machine, and the place among its queued runs. */
export interface Place {
  machine_id: number
  place: number
}

export const queued = (l: LaneView) => l.runs.filter((r) => r.movable)

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
