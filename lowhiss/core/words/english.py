"""The judge's sentences in English. ``{name}`` takes a parameter of the finding, in the reader's unit."""

FINDINGS = {
    "no_number": "The mark was made, but no number was ever set for it.",
    "engine_running": "The engine was running. This stage is done with the engine off.",
    "key_off": "The key was off. Turn it on after stopping the engine: without it no buzzer sounds.",
    "knobs_not_released": "Not every knob was in, so the spring-brake circuit was not part of the test.",
    "pedal_not_full": "The pedal was not held hard down for the whole time.",
    "pedal_down": "The pedal was down. This stage is done with the foot off it.",
    "retest_without_refill": "A retest starts over: run the engine, refill to where it stops pumping, read that, then repeat.",
    "state_not_recorded": "Never recorded, taken as right: {states}.",
    "late_reading": "The number was read late, so the true pressure at the mark was higher.",
    "gauges_disagree": "The needles stood {apart_psi} apart ({primary_psi} and {secondary_psi}): more than a gauge may be off.",
    "single_gauge": "Only one needle was read; the other circuit was not shown.",
    "no_fresh_cut_out": "No reading of where it stops pumping since the engine was last started.",
    "not_charged": "The lowest needle started at {start_psi}; under {needed_psi} a full application cannot be delivered.",
    "end_above_start": "A needle ended {rose_psi} above where it started; that is no measurement of a leak.",
    "needle_rose": "A needle crept up {rose_psi} while the air warmed; that counts as no loss.",
    "hold_short": "The hold was {short_s} s short of {hold_s} s.",
    "hold_over": "The hold ran {over_s} s over; the loss was scaled back to {hold_s} s.",
    "clock_before_settle": "The clock started {wait_s} s after the last move, so the first drop is inside the loss.",
    "settle_not_recorded": "That the needles had stopped was not marked before the clock started.",
    "short_wait": "Only {wait_s} s from the last move to the clock; {advised_s} s lets the tanks warm back. "
    "The true loss may be greater.",
    "clock_uncertain": "The device's two clocks disagree by {disagree_s} s over the hold.",
    "inside_guard_band": "Not shown to pass: the margin {margin} is smaller than the reading error {uncertainty}.",
    "third_failure": "Failed {failures} times. This is not technique any more: stop and send it to the workshop.",
    "window_too_short": "Read from {lower_psi} to {upper_psi} only: too little of the climb to time it.",
    "off_maker_figure": "Read {reading_psi}; the maker's figure is {maker_psi}.",
    "no_cut_out_before": "Where it stops pumping was not read before, so there is nothing to measure this against.",
    "early_warning": "On at {reading_psi}, this warning will sound in normal driving.",
    "lamp_missing": "The lamp never came on.",
    "buzzer_missing": "The buzzer never sounded.",
    "lamp_check_only": "What came on just after the key was the lamp check, not the warning.",
    "knob_by_hand": "A knob was pulled by hand. It must come out by itself.",
    "second_knob_missing": "Only one knob was read; go on until the other comes out too.",
    "low_pressure_hold_test": "Held with {reading_psi}; under {wanted_psi} the warning may sound half way.",
    "too_fast": "Rolled at {speed_mph} mph; walking pace is {walking_mph} mph at most.",
    "chocks_missing": "The wheels were not confirmed chocked before the brakes were released.",
    "held_by_gear_only": "Only low gear held the vehicle, no chocks. Many schools teach that; chocks are surer.",
    "moved_after_fail": "The vehicle was moved though a stage stood failed: {stages}.",
    "chocks_left_in": "The chocks were still under the wheels.",
    "cut_out_not_said": "Where it stops pumping was not said aloud ({missed} of {times} times).",
    "limit_not_said": "The limit was not said before the stage.",
    "reading_not_said": "The reading was not said after the stage.",
    "wrong_limit_said": "The limit was said as {said}; it is {right}.",
    "wrong_verdict_said": "Called a {said}; it was a {right}.",
    "cut_in_said_for_cut_out": "Said {said}, which is where it starts pumping, not where it stops.",
}

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
STEPS = {
    "safe_start": "Brakes set, neutral, start the engine. The ABS lamps come on and go out.",
    "release": "Stop the engine, turn the key back on, push the knobs in and let the needles settle.",
    "draw_down": "Press and release the pedal a few times, engine running, until it starts pumping again.",
    "park": "Pull the knobs out.",
    "chocks_in": "Put the chocks in.",
    "chocks_out": "Park first, then take the chocks out and bring them along.",
    "build_up": "At a steady fast idle, time the slower needle between the two marks.",
    "cut_out": "Let the air build until it stops pumping, read both needles and say it aloud.",
    "cut_in": "Watch where the needles begin to rise again, and read them there.",
    "leak_released": "Foot off the pedal. Hold still for the whole time and read both needles at each end.",
    "leak_applied": "Push the pedal hard down and keep it there until the time is up. Read both needles at each end.",
    "low_air_warning": "Key on, engine off: fan the pedal until lamp and buzzer come on. Mark it, then read.",
    "spring_brakes": "Keep fanning evenly until every knob has come out by itself.",
    "rebuild": "Let the air build until it stops pumping, and say it aloud.",
    "hold_trailer": "Parking knob in, trailer knob out, low gear: a gentle tug. It must not move.",
    "hold_parking": "Trailer knob in, parking knob out, low gear: a gentle tug. It must not move.",
    "rolling_service": "Both knobs in, belt on, walking pace, hands light on the wheel: brake to a stop.",
}
STEPS_AUTOMATIC = {
    "hold_trailer": "Parking knob in, trailer knob out, drive: a gentle tug. It must not move. Then through neutral.",
    "hold_parking": "From neutral: trailer knob in, parking knob out, drive: a gentle tug. It must not move.",
}
CALLS = {
    "safe_start": {"action": "Brakes set, neutral. I start the engine."},
    "release": {"action": "Engine off, key back on. I release the brakes and wait for the needles to settle."},
    "build_up": {
        "action": "Steady fast idle. I time the slower needle.",
        "reading": "From {first} to {read}.",
        "pass": "That is quick enough.",
        "fail": "That is too slow: it fails.",
    },
    "cut_out": {"action": "I let the air build until it stops pumping.", "reading": "It stops pumping at {read}."},
    "cut_in": {
        "action": "I press the pedal until the needles begin to rise.",
        "reading": "It starts pumping at {read}.",
        "pass": "That is within the limit.",
        "fail": "That is outside the limit: it fails.",
    },
    "leak_released": {
        "action": "Foot off the pedal. I watch the needles for the whole time.",
        "reading": "I lost {lost}.",
        "pass": "That is within the limit.",
        "fail": "That is too much: it fails.",
    },
    "leak_applied": {
        "action": "I press the pedal hard and hold it for the whole time.",
        "reading": "I lost {lost}.",
        "pass": "That is within the limit.",
        "fail": "That is too much: it fails.",
    },
    "low_air_warning": {
        "action": "Key on, engine off. I fan the pedal until lamp and buzzer come on.",
        "reading": "Lamp and buzzer came on at {read}.",
        "pass": "That is early enough.",
        "fail": "That is too late: it fails.",
    },
    "spring_brakes": {
        "action": "I keep fanning until the knobs come out by themselves.",
        "reading": "They came out at {read}.",
        "pass": "That is within the limit.",
        "fail": "That is outside the limit: it fails.",
    },
    "rebuild": {"action": "I fill it up again.", "reading": "It stops pumping at {read}."},
    "hold_trailer": {"action": "Trailer brake set, parking brake off: a gentle tug."},
    "hold_parking": {"action": "Parking brake set: a gentle tug."},
    "rolling_service": {"action": "Walking pace, then the pedal: it must stop straight."},
}
STAGES = {
    "build_up": "Build-up",
    "cut_out": "Stops pumping (cut-out)",
    "cut_in": "Starts pumping (cut-in)",
    "leak_released": "Leak-down, pedal up",
    "leak_applied": "Leak-down, pedal held",
    "low_air_warning": "Low-air warning",
    "spring_brakes": "Spring brakes, knobs pop",
    "rebuild": "Refill",
    "hold_trailer": "Trailer brake holds",
    "hold_parking": "Parking brake holds",
    "rolling_service": "Rolling stop",
}
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
