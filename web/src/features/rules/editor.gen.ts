/** Written by scripts/write_generated.py from the tables of the core; not to be edited. */

export const ACTIONS = [
  "safe_start",
  "release",
  "draw_down",
  "park",
  "chocks_in",
  "chocks_out"
] as const
export const POLICIES = [
  "both",
  "primary"
] as const
export const ACCEPTANCES = [
  "simple",
  "guarded"
] as const
export const HOLDINGS = [
  "chocks",
  "gear_noted",
  "gear_too"
] as const
export const CALLS = [
  "cut_out",
  "limit",
  "reading",
  "verdict"
] as const
export const USUAL_CALLS = [
  "cut_out"
] as const
export const MEANS = [
  "stay",
  "finish",
  "note"
] as const
