"""The judge's sentences in English. ``{name}`` takes a parameter, in the reader's unit. Findings: `core/findings.py`."""

HINTS = {
    "downstream_of_foot_valve": "Loses {applied_psi_per_min} with the pedal held and {released_psi_per_min} without: look downstream "
    "of the foot valve, at service hoses, chamber diaphragms and the trailer's control line.",
    "trailer_side": "Loses {in_psi_per_min} with the trailer knob in and {out_psi_per_min} with it out: look on the trailer's side, "
    "its couplings first.",
    "spring_brake_side": "Loses {in_psi_per_min} with the parking knob in and {out_psi_per_min} with it out: look at the spring-brake "
    "chambers and their lines.",
    "primary_circuit": "Only the primary needle falls ({falling_psi_per_min}, the other {other_psi_per_min}): look in the primary circuit.",
    "secondary_circuit": "Only the secondary needle falls ({falling_psi_per_min}, the other {other_psi_per_min}): look in the secondary "
    "circuit, which often feeds seats and suspension bags too.",
    "compressor": "Slow to build ({time_s} s) with nothing leaking: look at the compressor, its filter and its discharge line.",
    "water_in_tanks": "One application took {drop_psi}; tanks of the required size would give {expected_drop_psi}: look for water in the tanks.",
    "gauge_or_check_valve": "The needles disagree where it stops pumping: look at a gauge or a check valve.",
    "drain_and_couplings": "{failures} bad leak tests: drain the tanks and look at the couplings.",
}

STATES = {
    "engine": "engine off",
    "key": "key on",
    "tractor_knob": "parking knob in",
    "trailer_knob": "trailer knob in",
    "pedal": "pedal",
    "lamp": "lamp",
    "buzzer": "buzzer",
}
STANDINGS = {
    "published": "",
    "from_memory": "from memory",
    "common_practice": "common practice, no published source",
    "fleet": "the fleet's own",
}
OUTCOMES = {"pass": "Pass", "fail": "Fail", "void": "Void", "not_done": "Not done", "no_rule": "No rule"}
SHEET = {
    "pass": "PASS",
    "fail": "FAIL: DO NOT DRIVE",
    "incomplete": "NOT COMPLETE",
    "judged_by": "judged by",
    "limited": "{limited} of {required} required stages have a limit under these rules",
    "close_call": "close call",
    "attempt": "attempt {number}",
    "limit": "limit: {text} [{source}]",
    "coach": "What the coach saw",
    "critical": "critical",
    "hints": "Where to look first",
    "caution": "This sheet does not replace a qualified mechanic or inspector. Local law and the maker's figures come first. "
    "A vehicle that fails stays put until someone qualified has repaired it and it has passed again.",
}
PAPER = {
    "outcome": "Outcome",
    "started": "Began",
    "driver": "Who tested",
    "trailers": "Trailers",
    "judged_by": "Judged by",
    "run": "Run",
    "recording": "From a recording",
    "origin": "From another yard",
    "sealed": "Seal {place}, {when}: {hash}. Key {key}.",
    "check": "The code leads to where it is checked: unit, hour and outcome there must be those of this paper. Its file is "
    "checked without this house: lowhiss verify, or docs/seal.md.",
    "unsigned": "Nobody has signed this sheet.",
    "signatures": "Signatures",
    "driver_part": "who tested",
    "beside": "beside",
    "by_password": "by password",
    "by_pin": "by PIN",
    "by_demo": "demo account",
    "stages": "Stages",
    "stage": "Stage",
    "sum": "Sum",
    "limit": "Limit",
    "marks": "Marks",
    "after_end": "after the end",
    "at": "At",
    "mark": "Mark",
    "read": "Read",
    "by": "By",
    "tests": "Tests",
    "unit": "Unit",
    "lost": "Lost, pedal held",
}
MARKS = {
    "pedal_full": "pedal down",
    "pedal_released": "pedal up",
    "settled": "needles stopped",
    "lower": "lower mark",
    "upper": "upper mark",
    "cut_out": "stopped pumping",
    "cut_in": "started pumping",
    "start": "start",
    "end": "end",
    "wheels_chocked": "chocks in",
    "chocks_removed": "chocks out",
    "area_clear": "everyone clear",
    "seat_belt": "belt on",
    "neutral": "in neutral",
    "in_gear": "in gear",
    "abs_lamps_out": "ABS lamps out",
    "window_down": "window down",
    "level_ground": "level ground",
    "engine_off": "engine off",
    "engine_running": "engine running",
    "key_on": "key on",
    "key_off": "key off",
    "tractor_in": "parking knob in",
    "tractor_out": "parking knob out",
    "tractor_popped": "parking knob popped",
    "trailer_in": "trailer knob in",
    "trailer_out": "trailer knob out",
    "trailer_popped": "trailer knob popped",
    "warning": "lamp and buzzer",
    "lamp": "lamp",
    "buzzer": "buzzer",
    "no_warning": "never came on",
    "held": "hold test",
    "rolled": "rolling stop",
    "attempt": "begun again",
    "skipped": "left out",
    "said": "said aloud",
    "note": "note",
    "valued": "number set",
    "withdrawn": "taken back",
    "shown": "A result was shown",
    "late_confirmed": "Confirmed after the end",
    "finished": "finished",
    "made_safe": "made safe",
    "abandoned": "ended early",
    "other": "mark",
}
WORDS = {"pass": "pass", "fail": "fail", "lamp": "lamp", "buzzer": "buzzer"}

LIMITS = {
    "at_most": "no more than {max}",
    "below": "less than {max}",
    "at_least": "at least {min}",
    "above": "more than {min}",
    "between": "{min} to {max}",
    "below_cut_out": "{amounts} below where it stopped pumping",
    "capped": "{text}, or {percent} % of where it stops pumping if that is lower",
    "hold": "{text} in {hold_s} s",
    "window": "{lower} to {upper} in {text}",
    "scaled": ", or longer in proportion to larger tanks",
    "near_maker": "within {amount} of the maker's figure",
    "from_maker": "the maker's figure {ends} {unit}",
}
WHOM = {
    "any": "the vehicle",
    "single": "a single vehicle",
    "combination": "a combination",
    "multi": "a unit with two or more trailers",
}
LIMIT_SENTENCES = {
    "build_up": "From {lower} to {upper} psi the needles may take {bounds}",
    "cut_out": "When it stops pumping, the gauge must show {bounds}",
    "cut_in": "When it starts pumping again, the gauge must show {bounds}",
    "leak_released": "With the brakes released, {whom} may lose {bounds} in {hold_s} seconds",
    "leak_applied": "With the pedal held, {whom} may lose {bounds} in {hold_s} seconds",
    "low_air_warning": "When light and buzzer come on, the gauge must show {bounds}",
    "spring_brakes": "When a knob pops out by itself, the gauge must show {bounds}",
}
POLICIES = {"both": "both needles", "primary": "the primary only"}
ACCEPTANCES = {"simple": "on the limit passes", "guarded": "must clear the reading error"}
HOLDINGS = {"chocks": "chocks", "gear_noted": "chocks; low gear is noted", "gear_too": "chocks, or low gear too"}
CALLS = {
    "cut_out": "each cut-out",
    "limit": "the limit before a stage",
    "reading": "the reading after it",
    "verdict": "whether it passed",
    "none": "nothing",
}
CONVENTIONS = {
    "policy": "Which gauge counts",
    "acceptance": "A result within reading error",
    "holding": "What holds the vehicle",
    "calls": "Said aloud",
    "short_wait_s": "Advised wait before the clock",
    "hold_short_s": "A hold may be short by",
    "hold_over_s": "A hold may run over by",
    "clock_before_settle_s": "Clock too soon after a move, under",
    "needle_rose_psi": "A needle may creep up by",
    "charged_psi": "Charged from",
    "early_warning_psi": "A warning is early above",
    "off_maker_psi": "Off the maker's figure by more than",
    "hold_test_psi": "Air for a hold test",
    "rolling_mph": "Walking pace",
    "third_failure": "Fails of a stage that end the test",
}
SUMS = {
    "strokes": "full applications",
    "drop_psi": "it takes",
    "left_psi": "left",
    "required_in3": "least volume",
    "ratio_there": "reservoirs ÷ chambers",
    "share_of_required": "of what is required",
    "limit_s": "limit",
    "time_s": "takes",
    "rate_psi_per_s": "climbs",
    "loss_psi": "lost in the rule's time",
    "rate_psi_per_min": "lost a minute",
    "flow_ft3_per_min": "free air",
    "error_psi": "a loss is known to ±",
    "one_reading_psi": "one reading to ±",
    "chance_over": "chance that the true loss is over",
    "shown_below_psi": "shown to pass below",
    "psi": "psi",
    "kpa": "kPa",
    "bar": "bar",
}
ORDERS = {
    "before": "{step} passes only after {first}: put that before it.",
    "hangs": "The limit of {step} hangs on {first}: put that before it.",
    "or": " or ",
}
LOOSER = "{stage}: looser than {source}"
TRENDS = {
    "too_few": "Not enough tests yet to see a trend: {points}, and {min_points} over {min_days} days are needed.",
    "steady": "Steady over {points} tests.",
    "changed": "Not as before: the last three lie about {apart} from the rest.",
    "drifts": "Moves {a_month} a month, {low} to {high}.",
}
ARITHMETIC = {
    "hold": "{start} → {end} {unit} in {duration_s} s",
    "rate": "{rate} {unit}/min",
    "normalised": "{loss} in {hold_s} s",
    "climb": "{start} → {end} {unit} in {duration_s} s",
    "time": "{lower} → {upper} takes {time_s} s",
    "reading": "read {psi}",
    "limit": "limit {limit}",
    "to_spare": "{margin} to spare",
    "outside": "{margin} outside",
    "on_the_limit": "on the limit",
    "error": "reading error ±{uncertainty}",
    "error_s": "error ±{uncertainty}",
}
STANDINGS_OF_UNITS = {
    "on_hold": "Do not drive: on hold",
    "unfit": "Do not drive: a defect",
    "overdue": "Test before it leaves: overdue",
    "never_tested": "Test before it leaves: never tested",
    "due": "May leave, a test is due",
    "restricted": "This trip, then repair",
    "fit": "May leave",
}
HOLDS = {
    "failed": "{stage} failed: {figures}",
    "placed": "{reason}",
    "contested": "contested: {by} took back a mark at {when}",
    "contested_otherwise": "contested: a later mark of {by}, {when}, made the fail vanish",
    "strike_out": "A trainer or manager who made none of these marks may strike the hold out, with a reason.",
    "decide": "A manager decides whether this report counts.",
    "reported": "reported elsewhere ({origin}): decide",
    "item_again": "Still to be found right in an inspection.",
    "further": "failed {count} times",
    "repair": "Repair it and certify the repair.",
    "recheck": "A valid pass of {stage} under {rules}, in a finished test.",
    "recheck_after": "After a certified repair: a valid pass of {stage} under {rules}, in a finished test.",
    "narrow": "Or find out which it is: test {stage} with one of them and without the other. Whichever passes is free.",
    "release": "A manager may release it, with a reason that stays on record.",
    "opened": "{stage}: this opened a hold. Do not drive.",
    "added": "{stage}: failed again; the hold stays. Do not drive.",
    "lifted": "{stage}: this lifted the hold.",
    "cleared": "{stage}: this passed, so the hold stays with what was not in this test.",
    "no_repair": "{stage}: passed, but no repair was certified before: the hold stays.",
    "still": "{stage}: still on hold.",
}
CONSEQUENCES = {"stay": "Stays put", "finish": "This trip, then repair", "note": "Noted"}
DEFECT_STATES = {
    "open": "open",
    "taken": "in the workshop",
    "repaired": "repaired",
    "no_repair": "no repair needed",
    "fixed": "put right at once",
}
ACTS = {
    "hold_placed": "Put on hold: {reason}",
    "hold_released": "Hold released: {reason}",
    "hold_struck_out": "Contested hold struck out: {reason}",
    "rechecked": "Found right again: {defect}",
    "defect_seen": "Defect reported: {defect}",
    "defect_rated": "{defect}: now *{means}*. {reason}",
    "defect_taken": "Taken by the workshop: {defect}",
    "repaired": "Repair certified: {did}",
    "no_repair": "No repair needed, certified: {defect}. {reason}",
    "acknowledged": "Read what was reported: {defect}",
    "trip_over": "The trip is over",
    "defect_fixed": "Put right on the spot: {defect}. {did}",
    "round_done": "Round complete",
}
RUNS = {
    "pass": "Test passed",
    "fail": "Test failed",
    "void": "Test void",
    "incomplete": "Test not complete",
    "training": "training",
    "rehearsal": "rehearsal, does not count for the vehicle",
}
DUE_TITLE = "{unit}: brake test due"
READING = {
    "too_few": "Fewer than {tests} tests on vehicles with a line of their own: nothing is said yet.",
    "same": "Over {tests} tests the loss is read as the vehicles' own lines have it, to within {error}.",
    "low": "Over {tests} tests the loss is read {amount} ±{error} above the vehicles' own lines: reads the end low.",
    "high": "Over {tests} tests the loss is read {amount} ±{error} below the vehicles' own lines: reads the end high.",
}
