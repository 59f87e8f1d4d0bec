import { useTranslation } from '../i18n/useTranslation'

export type AnyOutcome = 'pass' | 'fail' | 'void' | 'incomplete' | 'not_done' | 'no_rule' | 'pending'

const shape: Record<AnyOutcome, string> = {
  pass: 'bg-current',
  fail: 'bg-current [clip-path:polygon(0_0,100%_0,0_100%)]',
  void: 'border-2 border-dotted border-current',
  incomplete: 'border-2 border-current [clip-path:polygon(0_0,55%_0,55%_100%,0_100%)]',
  not_done: 'border-2 border-current',
  no_rule: 'h-[3px]! bg-current',
  pending: 'border-2 border-dashed border-current',
}
const hatched =
  'border-[1.5px] border-current bg-[repeating-linear-gradient(45deg,currentColor_0_2.5px,transparent_2.5px_5px)]'

interface OutcomeMarkProps {
  outcome: AnyOutcome
  closeCall?: boolean
  large?: boolean
}

/** An outcome as shape, word and, for a fail, colour; never colour alone. */
export function OutcomeMark({ outcome, closeCall = false, large = false }: OutcomeMarkProps) {
  const { t } = useTranslation()
  const close = closeCall && (outcome === 'pass' || outcome === 'fail')
  return (
    <span
      data-outcome={outcome}
      className={`inline-flex items-center gap-2 font-bold ${outcome === 'fail' ? 'text-clay' : 'text-ink'} ${large ? 'text-title' : ''}`}
    >
      <i
        aria-hidden
        className={`inline-block shrink-0 ${large ? 'size-6' : 'size-4'} ${close && outcome === 'pass' ? hatched : shape[outcome]}`}
      />
      <span>
        {t(`outcome.${outcome}`)}
        {close && <span className="font-semibold">, {t('outcome.close')}</span>}
      </span>
    </span>
  )
}
