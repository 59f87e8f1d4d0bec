/** Written by scripts/write_generated.py from the tables of the core; not to be edited. */

export const STAGES = [
  "build_up",
  "cut_out",
  "cut_in",
  "leak_released",
  "leak_applied",
  "low_air_warning",
  "spring_brakes",
  "rebuild",
  "hold_trailer",
  "hold_parking",
  "rolling_service"
] as const
export const POINTS = [
  "lower",
  "upper",
  "cut_out",
  "cut_in",
  "start",
  "end",
  "warning",
  "popped"
] as const
export const UNIT_KINDS = [
  "straight_truck",
  "bus",
  "tractor",
  "tractor_semitrailer",
  "multi_trailer"
] as const
export const POWER_KINDS = [
  "straight_truck",
  "bus",
  "tractor"
] as const
export const END_TYPES = [
  "finished",
  "abandoned"
] as const
export const WATCHED_TYPES = [
  "settled",
  "reading",
  "warning",
  "said",
  "note",
  "shown"
] as const
export const COUNTING_PURPOSES = [
  "dispatch",
  "training"
] as const
export const CONSEQUENCES = [
  "stay",
  "finish",
  "note"
] as const
