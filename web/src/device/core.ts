/** What the core on this device can be asked: the functions of `lowhiss.engine.on_device`. */

type Asked =
  | 'judge'
  | 'inspection_state'
  | 'inspection_script'
  | 'practice_choices'
  | 'practice_code'
  | 'practice_after'
  | 'practice_text'
  | 'practice_lessons'
  | 'practice_lesson'
  | 'practice_is_so'
  | 'cards_today'
  | 'card_answered'
  | 'practice_record'

type Driven =
  | 'practice_begin'
  | 'practice_control'
  | 'practice_trainer'
  | 'practice_frame'
  | 'practice_truth'
  | 'practice_save'
  | 'practice_log'

export type Core = Record<Asked | Driven, (...given: (string | number)[]) => string>

export interface Question {
  id: number
  /** Where the interpreter and the core lie. */
  from: string
  what: Asked
  /** What it takes, as text. */
  given: string[]
}

export type Reply = { id: number; answer: string } | { id: number; failed: string }
