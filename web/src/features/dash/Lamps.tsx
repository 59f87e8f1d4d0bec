import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Described, Practice } from '../../device'
import { useSense } from './useSense'

/** The lamps of the dash: what is lit is filled and says so; what is dark is an outline. */
export function Lamps({ practice, described }: { practice: Practice; described: Described }) {
  const { t } = useTranslation()
  const lamp = useSense(practice, (frame) => frame.lamp, false)
  const buzzer = useSense(practice, (frame) => frame.buzzer, false)
  const power = useSense(practice, (frame) => frame.abs_power, false)
  const trailer = useSense(practice, (frame) => frame.abs_trailer, false)
  return (
    <div className="grid grid-cols-2 gap-1.5">
      <div
        role="status"
        aria-label={`${t('practice.lowAir')}: ${t(lamp ? 'practice.lit' : 'practice.dark')}`}
        data-lamp={lamp}
        className={`col-span-2 flex min-h-11 items-center justify-between border-2 px-3 ${lamp ? 'border-clay bg-clay text-on-clay' : 'border-line bg-sheet text-soft'}`}
      >
        <b className="text-lead tracking-wide">{t('practice.lowAir')}</b>
        <span
          data-buzzer={buzzer}
          className={`text-right text-note font-semibold ${buzzer ? '' : 'invisible'}`}
        >
          <svg viewBox="0 0 60 24" className="ml-auto h-5 w-14" aria-hidden>
            {[4, 9, 11, 7, 11, 9, 4].map((half, n) => (
              <path
                key={n}
                d={`M${6 + n * 8} ${12 - half}V${12 + half}`}
                className="stroke-current"
                strokeWidth="4"
              />
            ))}
          </svg>
          <span className="max-lg:sr-only">{t('practice.buzzer')}</span>
        </span>
      </div>
      <Small lit={power} name={t('practice.absPower')} wide={described.trailers === 0} />
      {described.trailers > 0 && <Small lit={trailer} name={t('practice.absTrailer')} />}
    </div>
  )
}

function Small({ lit, name, wide = false }: { lit: boolean; name: string; wide?: boolean }) {
  const { t } = useTranslation()
  return (
    <div
      role="status"
      aria-label={`${name}: ${t(lit ? 'practice.lit' : 'practice.dark')}`}
      className={`min-h-8 border-2 px-1.5 py-1 text-note font-semibold max-sm:px-1 max-sm:text-[13px] max-sm:[font-stretch:70%] ${wide ? 'col-span-2' : ''} ${lit ? 'border-amber bg-amber text-[#14191a]' : 'border-line bg-sheet text-soft'}`}
    >
      {name}
    </div>
  )
}
