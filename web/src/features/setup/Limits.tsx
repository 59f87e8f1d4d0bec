import { useTranslation } from '../../shared/i18n/useTranslation'
import { isStage, type Script } from '../../run'
import { useFigures } from '../../shared/figures/useFigures'

/** Every stage of the order of work with the limit it must meet, and how long it usually takes. */
export function Limits({ script }: { script: Script }) {
  const { t } = useTranslation()
  const { language, unit } = useFigures()
  const seconds = script.steps.reduce((sum, step) => sum + (step.seconds ?? 0), 0)
  return (
    <section className="md:col-span-2">
      <h2 className="flex items-baseline justify-between border-b-[1.5px] border-ink pb-1 text-body">
        {t('setup.limits')}
        <span className="text-note font-normal text-soft">
          {t('setup.minutes', { count: Math.max(1, Math.round(seconds / 60)) })}
        </span>
      </h2>
      <ol>
        {script.steps.filter(isStage).map((step, n) => (
          <li key={n} className="grid gap-x-6 border-b border-hair py-1.5 sm:grid-cols-[13rem_1fr]">
            <b className="font-semibold">{t(`step.${step.step}`)}</b>
            <span className={step.limit ? '' : 'text-soft'}>
              {step.limit
                ? step.limit.said[language]?.[unit]
                : step.says.length > 1
                  ? t('setup.noLimit')
                  : ''}
            </span>
          </li>
        ))}
      </ol>
    </section>
  )
}
