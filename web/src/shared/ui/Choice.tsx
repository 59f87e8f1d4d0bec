import { ToggleGroup } from 'radix-ui'

interface ChoiceProps<T extends string> {
  label: string
  value: T
  options: { value: T; text: string }[]
  onChange: (value: T) => void
}

/** One of a few: all of them in sight, the chosen one filled. */
export function Choice<T extends string>({ label, value, options, onChange }: ChoiceProps<T>) {
  return (
    <div>
      <div className="mb-1 text-note text-soft">{label}</div>
      <ToggleGroup.Root
        type="single"
        aria-label={label}
        value={value}
        onValueChange={(next) => next && onChange(next as T)}
        className="inline-flex max-w-full flex-wrap gap-px border-[1.5px] border-ink bg-ink"
      >
        {options.map((option) => (
          <ToggleGroup.Item
            key={option.value}
            value={option.value}
            className="min-h-touch min-w-touch grow bg-sheet px-3 data-[state=on]:bg-ink data-[state=on]:font-semibold data-[state=on]:text-on-ink"
          >
            {option.text}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  )
}
