import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { type Schema } from '../../shared/api'
import { plain } from '../../shared/figures/format'
import { useFigures } from '../../shared/figures/useFigures'
import { Notice } from '../../shared/ui'
import { NumberField } from './LimitEditor'
import { MEANS } from './editor.gen'
import { omit } from './drafts'
import type { Draft } from './useDraft'
import { inspectionRulesQuery } from './queries'

type Line = Schema['InspectionLineOut']
type Group = Schema['GroupLineOut']

interface OwnLimit {
  measure: string
  axles: string[]
  at_least?: number
  at_most?: number
  source: { document: string; standing: 'fleet' }
}

/** What a set holds of an inspection: every number, and what a defect of each group of parts means. */
export function InspectionRules({ ref_, title, draft }: { ref_: string; title: string; draft?: Draft }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const rules = useQuery(inspectionRulesQuery(ref_, figures.language, figures.unit))
  if (!rules.data) return <Notice error={rules.error} onRetry={() => void rules.refetch()} />
  const { limits, groups } = rules.data
  return (
    <div className="grid gap-x-10 gap-y-6 border-t-2 border-ink pt-3 lg:grid-cols-2">
      <section className="max-h-140 overflow-y-auto">
        <h2 className="sticky top-0 bg-paper pb-1 text-lead">
          {t('rules.inspectionNumbers')}, {title}
        </h2>
        <table className="w-full border-collapse text-left">
          <thead className="text-note text-soft">
            <tr className="border-b-[1.5px] border-ink">
              <th className="py-1 pr-3 font-semibold">{t('rules.measure')}</th>
              <th className="pr-3 font-semibold">{t('rules.atLeast')}</th>
              <th className="pr-3 font-semibold">{t('rules.atMost')}</th>
              <th className="font-semibold">{t('rules.sumSource')}</th>
            </tr>
          </thead>
          <tbody>
            {limits.map((line) => (
              <LineOf key={line.measure + line.axles.join()} line={line} draft={draft} />
            ))}
          </tbody>
        </table>
      </section>
      <section className="max-h-140 overflow-y-auto">
        <h2 className="sticky top-0 bg-paper pb-1 text-lead">
          {t('rules.inspectionMeans')}, {title}
        </h2>
        <table className="w-full border-collapse text-left">
          <tbody>
            {groups.map((group) => (
              <GroupOf key={group.id} group={group} draft={draft} />
            ))}
          </tbody>
        </table>
      </section>
    </div>
  )
}

function LineOf({ line, draft }: { line: Line; draft: Draft | undefined }) {
  const { t } = useTranslation()
  const own = (draft?.table.inspection_limit as OwnLimit[] | undefined) ?? []
  const same = (one: OwnLimit) => one.measure === line.measure && one.axles.join() === line.axles.join()
  const set = (side: 'at_least' | 'at_most', value: number) => {
    const before = own.find(same)
    const next: OwnLimit = {
      measure: line.measure,
      axles: line.axles,
      ...(line.at_least !== null && { at_least: line.at_least }),
      ...(line.at_most !== null && { at_most: line.at_most }),
      ...before,
      [side]: value,
      source: { document: t('rules.ours'), standing: 'fleet' },
    }
    draft?.change({ ...draft.table, inspection_limit: [...own.filter((one) => !same(one)), next] })
  }
  const figure = (side: 'at_least' | 'at_most') => {
    const value = line[side]
    if (value === null) return '–'
    // a sign such as 32nds or degrees stands at its number
    if (!draft) return `${plain(value, 2)}${/^[/°]/.test(line.unit) ? '' : ' '}${line.unit}`
    return (
      <NumberField
        label={`${t(side === 'at_least' ? 'rules.atLeast' : 'rules.atMost')}, ${line.unit}`}
        value={value}
        onChange={(next) => set(side, next)}
      />
    )
  }
  return (
    <tr className={`border-b border-hair ${line.own ? 'font-bold' : ''}`} data-measure={line.measure}>
      <th scope="row" className="py-1.5 pr-3 text-left font-semibold">
        {line.name}
        {line.axles.length > 0 && (
          <small className="block text-note font-normal text-soft">
            {line.axles.map((axle) => t(`rules.axles.${axle as 'steer'}`)).join(', ')}
          </small>
        )}
      </th>
      <td className="num pr-3">{figure('at_least')}</td>
      <td className="num pr-3">{figure('at_most')}</td>
      <td className={`text-note ${line.own ? 'font-bold' : 'text-soft'}`}>
        {line.own ? t('rules.own') : line.source}
      </td>
    </tr>
  )
}

function GroupOf({ group, draft }: { group: Group; draft: Draft | undefined }) {
  const { t } = useTranslation()
  const differs = group.consequence !== group.inherited
  const own = (draft?.table.consequences as Record<string, string> | undefined) ?? {}
  const set = (next: string) => {
    const others = omit(own, group.id) as Record<string, string>
    draft?.change({
      ...draft.table,
      consequences: next === group.inherited ? others : { ...others, [group.id]: next },
    })
  }
  return (
    <tr className="border-b border-hair" data-group={group.id}>
      <th scope="row" className={`py-1.5 pr-3 text-left ${differs ? 'font-bold' : 'font-normal'}`}>
        {group.name}
      </th>
      <td className={`text-right ${differs ? 'font-bold' : ''}`}>
        {draft ? (
          <select
            aria-label={group.name}
            value={group.consequence}
            onChange={(event) => set(event.target.value)}
            className="min-h-9 border-[1.5px] border-ink bg-sheet px-2"
          >
            {MEANS.map((one) => (
              <option key={one} value={one}>
                {t(`rules.consequence.${one}`)}
              </option>
            ))}
          </select>
        ) : (
          t(`rules.consequence.${group.consequence}`)
        )}
      </td>
    </tr>
  )
}
