import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import type { Body } from '../../device'
import { isOwn, markName, type DuplicateMarks } from '../../run'
import { Button } from '../../shared/ui'

interface MarkedTwiceProps {
  duplicates: DuplicateMarks
  /** A watcher gives up their own mark only. */
  watches: boolean
  onMark: (bodies: Body[]) => void
}

/** The same thing marked on two devices: both are kept, and one tap says which one counts. */
export function MarkedTwice({ duplicates, watches, onMark }: MarkedTwiceProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const [mine, theirs] = isOwn(duplicates.first)
    ? [duplicates.first, duplicates.second]
    : [duplicates.second, duplicates.first]
  const by = theirs.by || t('test.twice.other')
  const keep = (gone: DuplicateMarks['first']) =>
    onMark([{ type: 'withdrawn', event: gone.id, why: t('test.twice.why') }])
  return (
    <div role="status" className="grid max-w-2xl gap-2 border-l-4 border-amber pl-3">
      <p>
        {t('test.twice.title')} <b>{t(`test.mark.${markName(mine)}`)}</b>,{' '}
        {t('test.twice.apart', { by, seconds: figures.seconds(duplicates.apartS) })}
      </p>
      <div className="flex flex-wrap gap-2">
        {!watches && <Button onClick={() => keep(theirs)}>{t('test.twice.mine')}</Button>}
        <Button onClick={() => keep(mine)}>{t('test.twice.theirs', { by })}</Button>
      </div>
    </div>
  )
}
