import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { ReportDefect, useWaitingActs } from '../../run'
import { Button } from '../../shared/ui'

/** What a test found that may be a defect: one tap reports it, with what was seen already written down. */
export function Proposals({ report }: { report: Schema['ReportOut'] }) {
  const { t } = useTranslation()
  const [chosen, setChosen] = useState<Schema['ProposalOut']>()
  useWaitingActs()
  const { run, proposals } = report
  if (proposals.length === 0) return null
  return (
    <ul className="no-print grid gap-2">
      {proposals.map((one) => (
        <li key={one.finding} className="flex flex-wrap items-center gap-x-4 border-l-4 border-amber pl-3">
          <span className="min-w-0 grow basis-60">{one.text}</span>
          <Button onClick={() => setChosen(one)}>{t('acts.reportShort')}</Button>
        </li>
      ))}
      {chosen && (
        <ReportDefect
          parts={[{ kind: 'unit', id: run.unit_id, name: run.unit_name }]}
          rules={run.rules}
          proposed={{ finding: chosen.finding, group: chosen.group, what: chosen.text, run: run.id }}
          onClose={() => setChosen(undefined)}
        />
      )}
    </ul>
  )
}
