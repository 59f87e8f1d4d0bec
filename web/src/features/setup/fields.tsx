interface TextFieldProps {
  label: string
  hint: string
  value: string
  onChange: (value: string) => void
}

export function TextField({ label, hint, value, onChange }: TextFieldProps) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <input
        value={value}
        onChange={(event) => onChange(event.target.value)}
        maxLength={80}
        placeholder={hint}
        className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3 placeholder:text-soft"
      />
    </label>
  )
}

interface SelectProps {
  label: string
  value: string
  options: { value: string; text: string }[]
  onChange: (value: string) => void
}

export function Select({ label, value, options, onChange }: SelectProps) {
  return (
    <label className="block">
      <span className="text-note text-soft">{label}</span>
      <select
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className="block min-h-touch w-full border-[1.5px] border-ink bg-sheet px-3"
      >
        {options.map((option) => (
          <option key={option.value} value={option.value}>
            {option.text}
          </option>
        ))}
      </select>
    </label>
  )
}
