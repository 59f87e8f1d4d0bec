/** Numbers as people type them into one line, with spaces or commas between. */
export const toNumbers = (text: string): number[] =>
  text
    .split(/[\s,;]+/)
    .filter(Boolean)
    .map(Number)

/** A number, or nothing when the line is empty. */
export const toNumber = (text: string): number | null => (text.trim() ? Number(text) : null)
