import { useState, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Body } from '../../device'
import type { InspectionScript, InspectionStep } from '../../run'
import { Button } from '../../shared/ui'

interface MemoryProps {
  on: boolean
  step: InspectionStep
  script: InspectionScript
  onMark: (bodies: Body[]) => void
  children: ReactNode
}

/** From memory: the item is hidden until it was named; then its phrase stands there, and whether it was named is marked. */
export function Memory({ on, step, script, onMark, children }: MemoryProps) {
  const { t } = useTranslation()
  const [shown, setShown] = useState(false)
  const [told, setTold] = useState(false)
  if (!on || step.kind !== 'ask') return children
  const [ask] = step.asks
  const stop = script.stations.find(({ id }) => id === step.station)
  if (!shown) {
    return (
      <section data-memory className="grid gap-4">
        <p className="text-note text-soft">{stop?.name}</p>
        <h2 className="text-title">{t('inspection.memoryOn')}</h2>
        <Button tone="air" className="min-h-14 text-lead" onClick={() => setShown(true)}>
          {t('inspection.memoryShow')}
        </Button>
      </section>
    )
  }
  const said = (wrong: boolean) => {
    setTold(true)
    onMark([{ type: 'said', asks: [ask.key], ...(wrong && { wrong }) }])
  }
  return (
    <div className="grid gap-4">
      {!told && (
        <div className="grid grid-cols-2 gap-2">
          <Button className="min-h-14" onClick={() => said(false)}>
            {t('inspection.memorySaid')}
          </Button>
          <Button className="min-h-14" onClick={() => said(true)}>
            {t('inspection.memoryWrong')}
          </Button>
        </div>
      )}
      {children}
    </div>
  )
}
