import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { ExamMark } from './shapes'

/** Five marks and the one rule that is missing; never a percentage. */
export function Readiness({ progress }: { progress: Schema['ProgressOut'] }) {
  const { t } = useTranslation()
  const { readiness, overruled } = progress
  const rule = readiness.rules.find(({ name }) => name === readiness.missing)
  const asked = rule && { wanted: rule.wanted, percent: Math.round(100 * rule.wanted) }
  return (
    <section data-ready={readiness.ready}>
      <h2 className="font-bold">{t('learn.ready.title')}</h2>
      <p className="mt-1 flex items-center gap-1.5">
        {readiness.marks.map((mark, n) => (
          <ExamMark key={n} mark={mark} label={t(`learn.ready.marks.${mark as 'clean'}`)} />
        ))}
        <span className="ml-2">
          {readiness.ready
            ? t('learn.ready.yes')
            : t('learn.ready.no', { rule: rule ? t(`learn.ready.rule.${rule.name as 'last'}`, asked) : '' })}
        </span>
      </p>
      {overruled && (
        <p className="mt-1">
          {t('learn.ready.over', {
            by: overruled.by,
            verdict: t(`learn.ready.verdict.${overruled.kind as 'ready'}`),
            text: overruled.text,
          })}
        </p>
      )}
      <p className="mt-1 text-note text-soft">{t('learn.ready.little')}</p>
    </section>
  )
}
