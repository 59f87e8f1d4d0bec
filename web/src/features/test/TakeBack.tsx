import { useTranslation } from '../../shared/i18n/useTranslation'
import { markName } from '../../run'
import { type DeviceMark } from '../../device'

interface TakeBackProps {
  lastMarks: DeviceMark[]
  onTakeBack: (ids: string[]) => void
}

/** The last mark can be taken back, with every mark it made. */
export function TakeBack({ lastMarks, onTakeBack }: TakeBackProps) {
  const { t } = useTranslation()
  const last = lastMarks.at(-1)
  // an end that came by the clock would come again at once
  const byTheClock = last?.type === 'reading' && last.point === 'end' && last.id.includes('.end')
  if (!last || last.type === 'finished' || byTheClock) return null
  return (
    <button
      type="button"
      onClick={() => onTakeBack(lastMarks.map(({ id }) => id))}
      className="mb-1 min-h-touch self-start text-note text-soft underline underline-offset-4"
    >
      {t('test.takeBack', { mark: t(`test.mark.${markName(last)}`) })}
    </button>
  )
}
