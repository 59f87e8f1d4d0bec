import { useTranslation } from '../i18n/useTranslation'
import type { Schema } from '../api'

type AnyStatus = Schema['UnitStatusOut']['status']

const SHAPES: Record<AnyStatus, string> = {
  on_hold:
    'border-2 border-current bg-[linear-gradient(90deg,transparent_35%,currentColor_35%_65%,transparent_65%)]',
  unfit: 'bg-current [clip-path:polygon(0_0,100%_0,100%_45%,55%_45%,55%_100%,0_100%)]',
  overdue:
    'bg-[linear-gradient(0deg,transparent_36%,currentColor_36%_64%,transparent_64%)] border-l-3 border-current',
  never_tested: 'border-2 border-dashed border-current',
  due: 'border-2 border-current bg-[linear-gradient(0deg,currentColor_50%,transparent_50%)]',
  restricted: 'border-2 border-current [clip-path:polygon(0_0,100%_0,100%_100%,50%_60%,0_100%)] bg-current',
  fit: 'bg-current',
}

interface StatusMarkProps {
  status: AnyStatus
  stays: boolean
  large?: boolean
}

/** How a unit stands as shape and word and, where it stays, colour; never colour alone. */
export function StatusMark({ status, stays, large = false }: StatusMarkProps) {
  const { t } = useTranslation()
  return (
    <span
      data-status={status}
      className={`inline-flex items-center gap-2 font-bold ${stays ? 'text-clay' : 'text-ink'} ${large ? 'text-lead' : ''}`}
    >
      <i aria-hidden className={`inline-block shrink-0 ${large ? 'size-5' : 'size-4'} ${SHAPES[status]}`} />
      {t(`status.${status}`)}
    </span>
  )
}
