/** Numbers as people type them: a decimal point or comma, and nothing beside. What is no number is refused, never dropped. */

const NUMBER = /^[-−+]?\d+([.,]\d+)?$/

/** The number in a text; undefined where it is none. */
export function parseNumber(text: string): number | undefined {
  const typed = text.trim()
  return NUMBER.test(typed) ? Number(typed.replace(',', '.').replace('−', '-')) : undefined
}

/** A field of numbers that holds something else. */
export class NumberError extends Error {}

/** A number, or null where the field is empty. Throws NumberError with the sentence that `refusal` makes. */
export function numberOf(text: string, refusal: () => string): number | null {
  if (!text.trim()) return null
  const number = parseNumber(text)
  if (number === undefined) throw new NumberError(refusal())
  return number
}

/** Numbers with spaces, semicolons or ", " between them. Throws NumberError. */
export const numbersOf = (text: string, refusal: () => string): number[] =>
  text
    .split(/[\s;]+|,(?=\s|$)/)
    .filter(Boolean)
    .map((part) => {
      const number = parseNumber(part)
      if (number === undefined) throw new NumberError(refusal())
      return number
    })
