import type { InputHTMLAttributes, ReactNode, SelectHTMLAttributes } from 'react'

const box =
  'block min-h-11 w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft disabled:border-line disabled:text-soft'

interface FieldProps {
  label: string
  hint?: ReactNode
}

/** A labelled line of text. */
export function TextField({ label, hint, ...rest }: FieldProps & InputHTMLAttributes<HTMLInputElement>) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <input className={box} {...rest} />
      {hint && <span className="text-note text-soft">{hint}</span>}
    </label>
  )
}

interface SelectFieldProps extends FieldProps, SelectHTMLAttributes<HTMLSelectElement> {
  options: { value: string; text: string }[]
}

/** A labelled choice of one out of some. */
export function SelectField({ label, hint, options, ...rest }: SelectFieldProps) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <select className={box} {...rest}>
        {options.map(({ value, text }) => (
          <option key={value} value={value}>
            {text}
          </option>
        ))}
      </select>
      {hint && <span className="text-note text-soft">{hint}</span>}
    </label>
  )
}

/** What went wrong with a form, beside it. */
export function FormError({ error }: { error: Error | null }) {
  if (!error) return null
  return (
    <p role="alert" className="border-l-4 border-clay pl-3 font-semibold text-clay">
      {error.message}
    </p>
  )
}
