import { useEffect, useState } from 'react'
import { useTranslation } from '../shared/i18n/useTranslation'
import { useFigures } from '../shared/figures/useFigures'
import { useRecorder } from '../run'
import { type Waits } from '../device'

/** How long what waits may wait before it is worth a line: with good contact it is gone before anybody reads it. */
const CALM_MS = 2000

/** What this device still has to send, and since when; nothing while all of it is kept. */
export function WaitingMarks() {
  const { t } = useTranslation()
  const figures = useFigures()
  const waits = useWaits()
  if (!waits) return null
  return (
    <p role="status" className="flex items-center gap-2.5 border-t border-line bg-sheet px-4 py-2.5 sm:px-6">
      <i aria-hidden className="size-2.5 shrink-0 border-2 border-ink bg-amber" />
      <span>
        {waits.units.join(', ')}: {t('app.waiting', { count: waits.count, since: figures.when(waits.since) })}
      </span>
    </p>
  )
}

function useWaits(): Waits | null {
  const device = useRecorder()
  const recorder = 'recorder' in device ? device.recorder : null
  const [waits, setWaits] = useState<Waits | null>(null)
  useEffect(() => {
    if (!recorder) return
    let wanted = true
    let timer: ReturnType<typeof setTimeout> | undefined
    const show = () => void recorder.waits().then((found) => wanted && setWaits(found))
    const look = () => {
      clearTimeout(timer)
      timer = setTimeout(show, CALM_MS)
    }
    look()
    const stop = recorder.subscribe(look)
    return () => {
      wanted = false
      clearTimeout(timer)
      stop()
    }
  }, [recorder])
  return waits
}
