import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { Choice } from '../../shared/ui'
import { ACCEPTANCES, CALLS, HOLDINGS, POLICIES, USUAL_CALLS } from './editor.gen'
import { NumberField } from './LimitEditor'
import type { Draft } from './useDraft'

const CHOICES = { policy: POLICIES, acceptance: ACCEPTANCES, holding: HOLDINGS }

interface ConventionsProps {
  table: Schema['CompareOut']
  draft?: Draft
  own?: string
}

/** What sets decide beside their limits, side by side; the draft's are chosen here. */
export function Conventions({ table, draft, own }: ConventionsProps) {
  const { t } = useTranslation()
  const column = table.columns.findIndex(({ ref }) => ref === own)
  return (
    <div tabIndex={0} className="overflow-x-auto">
      <table className="w-full border-collapse text-left align-top">
        <thead>
          <tr className="border-b-2 border-ink">
            <th className="w-56 py-2 pr-3">{t('rules.convention')}</th>
            {table.columns.map(({ ref, title }) => (
              <th key={ref} className={`px-3 py-2 ${ref === own ? 'bg-ink text-on-ink' : ''}`}>
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {table.conventions.map((row) => (
            <tr key={row.id} className="border-b border-hair">
              <th scope="row" className="py-2 pr-3 font-bold" style={{ fontStretch: '92%' }}>
                {row.title}
              </th>
              {row.values.map((value, place) => (
                <td
                  key={table.columns[place]?.ref}
                  className={`px-3 py-2 ${place === column ? 'border-x-2 border-ink' : ''} ${row.differs[place] ? 'bg-sheet font-bold' : 'text-soft'}`}
                >
                  {draft && place === column ? <Control id={row.id} value={value} draft={draft} /> : value}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Control({ id, value, draft }: { id: string; value: string; draft: Draft }) {
  const { t } = useTranslation()
  const { table, change } = draft
  if (id === 'policy' || id === 'acceptance' || id === 'holding') {
    const words = { policy: 'policies', acceptance: 'acceptances', holding: 'holdings' } as const
    return (
      <Choice<string>
        label={value}
        value={String(table[id] ?? '')}
        options={CHOICES[id].map((one) => ({
          value: one,
          text: String(t(`rules.${words[id]}.${one}` as 'rules.policies.both')),
        }))}
        onChange={(next) => change({ ...table, [id]: next })}
      />
    )
  }
  if (id === 'calls') {
    const chosen = (table.calls as string[] | undefined) ?? [...USUAL_CALLS]
    return (
      <fieldset className="grid gap-1">
        <legend className="text-note font-normal text-soft">{value}</legend>
        {CALLS.map((call) => (
          <label key={call} className="flex min-h-9 items-center gap-2 font-normal">
            <input
              type="checkbox"
              className="size-5"
              checked={chosen.includes(call)}
              onChange={(event) =>
                change({
                  ...table,
                  calls: CALLS.filter((one) => (one === call ? event.target.checked : chosen.includes(one))),
                })
              }
            />
            {t(`rules.calls.${call}`)}
          </label>
        ))}
      </fieldset>
    )
  }
  const judging = (table.judging as Record<string, number> | undefined) ?? {}
  return (
    <div className="flex items-end gap-3">
      <NumberField
        label={value}
        value={judging[id] ?? null}
        onChange={(next) => change({ ...table, judging: { ...judging, [id]: next } })}
      />
    </div>
  )
}
