import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { unitsQuery } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useRulebook } from '../../shared/figures/useRulebook'
import { UNIT_KINDS } from '../../shared/trade.gen'
import { Button, FormError, SelectField } from '../../shared/ui'
import { judgedQuery, type Asked, type Judged, type Recording } from './core'
import { MarkOverlay } from './MarkOverlay'
import { SessionsView } from './SessionsView'
import { Settle } from './Settle'
import { Stages } from './Stages'
import { TraceView } from './TraceView'

interface OneRecordingProps {
  recording: Recording
  asked: Asked
  onAsk: (part: Partial<Asked>) => void
}

/** A recording: as what it is judged, what was found, and what somebody says it is. */
export function OneRecording({ recording, asked, onAsk }: OneRecordingProps) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const [stage, setStage] = useState(0)
  const judged = useQuery(judgedQuery(recording.id, asked, language, unit))
  // what is moved lies in an order: another one has other places
  const change = (part: Partial<Asked>) => onAsk({ moved: [], ...part })
  const move = (place: number, from_s: number, to_s: number) =>
    onAsk({
      procedure: asked.procedure || (judged.data?.procedure ?? ''),
      moved: [...asked.moved.filter((one) => one.place !== place), { place, from_s, to_s }],
    })
  const found = judged.data
  return (
    <section data-recording={recording.id} className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <Choices asked={asked} found={found} onChange={change}>
        <Button
          disabled={asked.moved.length === 0}
          onClick={() => onAsk({ moved: asked.moved.slice(0, -1) })}
        >
          {t('traces.undo')}
        </Button>
      </Choices>
      <p className="text-note text-soft" data-columns>
        {recording.name} · {recording.format} ·{' '}
        {Object.entries(recording.columns)
          .map(([what, column]) => `${what}: ${column}`)
          .join(', ')}
        {found && found.step_psi > 0 && ` · ${t('traces.steps', { psi: found.step_psi })}`}
      </p>
      <FormError error={judged.error} />
      {found && (
        <>
          {found.sessions.length > 1 && (
            <SessionsView judged={found} shown={asked.session} onShow={(session) => change({ session })} />
          )}
          <TraceView judged={found} chosen={stage} onChoose={setStage} onMove={move} />
          <MarkOverlay judged={found} />
          <Stages judged={found} chosen={stage} onChoose={setStage} />
          {!recording.run_id && (
            <Settle
              key={`${recording.id} ${asked.session}`}
              recording={recording}
              asked={asked}
              judged={found}
            />
          )}
        </>
      )}
    </section>
  )
}

interface ChoicesProps {
  asked: Asked
  found: Judged | undefined
  onChange: (part: Partial<Asked>) => void
  children: React.ReactNode
}

/** As which vehicle, by which rules and in which order it is judged. */
function Choices({ asked, found, onChange, children }: ChoicesProps) {
  const { t } = useTranslation()
  const book = useRulebook()
  const units = (useQuery(unitsQuery()).data ?? []).filter(({ retired }) => !retired)
  const guessed = book.procedures.find(({ value }) => value === found?.procedure)?.text ?? ''
  const by = (id: string | undefined) => (id ? book.rulesTitle(id) : '')
  return (
    <div className="flex flex-wrap items-end gap-4">
      <SelectField
        label={t('traces.kind')}
        value={asked.unit_id || asked.kind}
        onChange={({ target: { value } }) =>
          onChange(
            UNIT_KINDS.some((kind) => kind === value)
              ? { unit_id: '', kind: value as Asked['kind'] }
              : { unit_id: value },
          )
        }
        options={[
          ...UNIT_KINDS.map((value) => ({ value, text: t(`kind.${value}`) })),
          ...units.map(({ id, name, kind }) => ({ value: id, text: `${name}, ${t(`kind.${kind}`)}` })),
        ]}
      />
      <SelectField
        label={t('setup.rules')}
        value={asked.rules}
        onChange={(event) => onChange({ rules: event.target.value })}
        options={[{ value: '', text: t('traces.itsOwn', { rules: by(found?.rules) }) }, ...book.rules]}
      />
      <SelectField
        label={t('setup.procedure')}
        value={asked.procedure}
        onChange={(event) => onChange({ procedure: event.target.value })}
        options={[
          { value: '', text: found ? t('traces.guessed', { order: guessed }) : '–' },
          ...book.procedures,
        ]}
      />
      {children}
    </div>
  )
}
