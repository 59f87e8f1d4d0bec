import type { ButtonHTMLAttributes } from 'react'

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & { tone?: 'plain' | 'air' | 'clay' }

const tones = {
  plain: 'border-ink bg-sheet text-ink hover:bg-hair',
  air: 'border-air bg-air text-on-air',
  clay: 'border-clay bg-clay text-on-clay',
}

export function Button({ tone = 'plain', className = '', ...rest }: ButtonProps) {
  return (
    <button
      type="button"
      className={`min-h-touch border-[1.5px] px-4 font-semibold disabled:opacity-50 ${tones[tone]} ${className}`}
      {...rest}
    />
  )
}
