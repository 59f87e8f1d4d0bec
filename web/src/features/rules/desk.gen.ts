/** Written by scripts/write_generated.py from the tables of the core; not to be edited. */

export const UNIT_KINDS = [
  "straight_truck",
  "bus",
  "tractor",
  "tractor_semitrailer",
  "multi_trailer"
] as const
export const ACTIONS = [
  "safe_start",
  "release",
  "draw_down",
  "park",
  "chocks_in",
  "chocks_out"
] as const
