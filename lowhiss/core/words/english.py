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
