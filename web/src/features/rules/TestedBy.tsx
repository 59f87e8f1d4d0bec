import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, rulebookQuery, type Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { useMay } from '../../shared/session'
import { UNIT_KINDS } from '../../shared/trade.gen'
import { FormError, Notice } from '../../shared/ui'
import { type UnitKind } from './queries'

/** By which rules and in which order units of each kind are tested that have none of their own. */
export function TestedBy() {
  const { t } = useTranslation()
  const { language } = useFigures()
  const queries = useQueryClient()
  const manages = useMay('setTestedBy')
  const book = useQuery(rulebookQuery())
  const save = useMutation({
    mutationFn: (kinds: Partial<Record<UnitKind, Schema['TestedByIn']>>) =>
      need(api.PUT('/api/rulebook/tested-by', { body: { kinds: kinds as Schema['TestedByBody']['kinds'] } })),
    onSuccess: (kept) => {
      queries.setQueryData(['rulebook'], kept)
      void queries.invalidateQueries({
        predicate: ({ queryKey }) => ['units', 'unit', 'script'].includes(String(queryKey[0])),
      })
    },
  })
  if (!book.data) return <Notice error={book.error} onRetry={() => void book.refetch()} />
  const { rules, procedures, tested_by: now } = book.data
  const box = 'min-h-11 w-full border-[1.5px] border-ink bg-sheet px-2 disabled:border-line disabled:text-ink'
  return (
    <div className="grid gap-2">
      <table className="w-full border-collapse text-left">
        <thead className="text-note text-soft">
          <tr className="border-b-[1.5px] border-ink">
            <th className="py-1 pr-3 font-semibold">{t('rules.kind')}</th>
            <th className="pr-3 font-semibold">{t('rules.rules')}</th>
            <th className="font-semibold">{t('rules.order')}</th>
          </tr>
        </thead>
        <tbody>
          {UNIT_KINDS.map((kind) => {
            const one = now[kind] ?? { rules: 'us-cdl', procedure: null }
            return (
              <tr key={kind} className="border-b border-hair">
                <th scope="row" className="py-1 pr-3 font-bold">
                  {t(`kind.${kind}`)}
                </th>
                <td className="pr-3">
                  <select
                    aria-label={`${t(`kind.${kind}`)}: ${t('rules.rules')}`}
                    className={box}
                    disabled={!manages}
                    value={one.rules}
                    onChange={(event) =>
                      save.mutate({ [kind]: { rules: event.target.value, procedure: null } })
                    }
                  >
                    {rules.map(({ id, title }) => (
                      <option key={id} value={id}>
                        {title[language]}
                      </option>
                    ))}
                  </select>
                </td>
                <td>
                  <select
                    aria-label={`${t(`kind.${kind}`)}: ${t('rules.order')}`}
                    className={box}
                    disabled={!manages}
                    value={one.procedure ?? ''}
                    onChange={(event) =>
                      save.mutate({ [kind]: { rules: one.rules, procedure: event.target.value || null } })
                    }
                  >
                    <option value="">{t('rules.schoolsOrder')}</option>
                    {procedures.map(({ id, title }) => (
                      <option key={id} value={id}>
                        {title[language]}
                      </option>
                    ))}
                  </select>
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
      <p className="text-note text-soft">{t('rules.testedByNote')}</p>
      <FormError error={save.error} />
      {save.isSuccess && (
        <p role="status" className="font-semibold">
          {t('rules.saved')}
        </p>
      )}
    </div>
  )
}
