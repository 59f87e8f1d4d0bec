/** Written by scripts/write_generated.py from the tables of the core; not to be edited. */

export const trade = {
  "en": {
    "step": {
      "safe_start": "Safe start",
      "release": "Release the brakes",
      "draw_down": "Draw the air down",
      "park": "Park",
      "chocks_in": "Chocks in",
      "chocks_out": "Chocks out",
      "build_up": "Build-up",
      "cut_out": "Stops pumping",
      "cut_in": "Starts pumping",
      "leak_released": "Leak-down, pedal up",
      "leak_applied": "Leak-down, pedal held",
      "low_air_warning": "Low-air warning",
      "spring_brakes": "Knobs pop",
      "rebuild": "Refill",
      "hold_trailer": "Trailer holds",
      "hold_parking": "Parking holds",
      "rolling_service": "Rolling stop"
    },
    "kind": {
      "straight_truck": "rigid truck",
      "bus": "bus",
      "tractor": "tractor alone",
      "tractor_semitrailer": "tractor and trailer",
      "multi_trailer": "tractor, two trailers"
    }
  },
  "es": {
    "step": {
      "safe_start": "Arranque seguro",
      "release": "Soltar los frenos",
      "draw_down": "Bajar el aire",
      "park": "Estacionar",
      "chocks_in": "Poner calzos",
      "chocks_out": "Sacar calzos",
      "build_up": "Llenado",
      "cut_out": "Deja de bombear",
      "cut_in": "Empieza a bombear",
      "leak_released": "Fuga, pedal suelto",
      "leak_applied": "Fuga, pedal pisado",
      "low_air_warning": "Alarma de poco aire",
      "spring_brakes": "Saltan las perillas",
      "rebuild": "Rellenar",
      "hold_trailer": "Sujeta el remolque",
      "hold_parking": "Sujeta el freno",
      "rolling_service": "Parada rodando"
    },
    "kind": {
      "straight_truck": "camión rígido",
      "bus": "autobús",
      "tractor": "tractor solo",
      "tractor_semitrailer": "tractor y remolque",
      "multi_trailer": "tractor, dos remolques"
    }
  }
}

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
  "note"
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
