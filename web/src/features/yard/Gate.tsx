import { scaleLinear } from 'd3-scale'
import { Link } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Schema } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { OutcomeMark, StatusMark } from '../../shared/ui'
import { dueGroup, whyItStays, type DueGroup, type YardUnit } from './yard'

const TOP_PSI = 150
const HEIGHT = 212
const TICKS_PSI = [0, 20, 40, 60, 80, 100, 120, 140]
const y = scaleLinear([0, TOP_PSI], [HEIGHT - 4, 4])
const ORDER: DueGroup[] = ['soon', 'week', 'month', 'later', 'none']

interface GateProps {
  staying: YardUnit[]
  drivable: YardUnit[]
  /** When the server told of its units [ms]. */
  now: number
}

/** Every unit as an air column on one scale, those that stay on one side of the gate, those that may leave on the other. */
export function Gate({ staying, drivable, now }: GateProps) {
  const { t } = useTranslation()

  const groups = ORDER.map((name) => ({ name, units: drivable.filter((one) => dueGroup(one, now) === name) }))
  return (
    <div className="flex items-stretch gap-6">
      <section className="shrink-0" style={{ maxWidth: '48%' }}>
        <h2 className="mb-2 text-lead text-clay">{t('yard.stayTitle')}</h2>
        {staying.length === 0 && <p className="w-44 text-soft">{t('yard.noneStay')}</p>}
        <div className="flex">
          <Scale />
          <ul className="flex flex-wrap items-stretch gap-y-8">
            {staying.map((one) => (
              <Staying key={one.unit.id} one={one} />
            ))}
          </ul>
        </div>
      </section>
      <div aria-hidden className="w-2 shrink-0 bg-ink" />
      <section className="min-w-0 grow">
        <h2 className="mb-2 text-lead">
          {t('yard.leaveTitle')} <span className="text-note font-normal text-soft">{t('yard.inOrder')}</span>
        </h2>
        <div className="flex flex-wrap gap-x-3 gap-y-8">
          {groups
            .filter(({ units }) => units.length > 0)
            .map(({ name, units }) => (
              <div key={name}>
                <ul className="flex flex-wrap items-stretch gap-y-8">
                  {units.map((one) => (
                    <DrivableUnit key={one.unit.id} one={one} />
                  ))}
                </ul>
                <p className="mr-2 mt-2 h-2 border-x-[1.5px] border-b-[1.5px] border-ink" aria-hidden />
                <p className={`mr-2 text-center ${name === 'soon' ? 'font-bold' : 'text-soft'}`}>
                  {t(`yard.groups.${name}`)}
                </p>
              </div>
            ))}
        </div>
      </section>
    </div>
  )
}

function Staying({ one }: { one: YardUnit }) {
  const { t } = useTranslation()
  const { unit, failed } = one
  const why = whyItStays(one)
  const status = unit.status
  const local = !status?.stays
  return (
    <li
      className="flex w-33 flex-col border-l border-line pl-2.5"
      data-unit={unit.name}
      data-failed={failed.join(' ')}
    >
      <Head one={one} />
      <Column column={unit.latest?.column} />
      <p className="mt-2">
        {local || !status ? (
          <b className="text-clay">{t('yard.doNotDrive')}</b>
        ) : (
          <StatusMark status={status.status} stays />
        )}
      </p>
      <p className="mt-1 text-note leading-snug font-semibold">
        {why.text || failed.map((stage) => t(`step.${stage}`)).join(', ')}
        {!why.text && !failed.length && unit.status?.passed_at && <Due one={one} />}
      </p>
      <p className="mt-1 mb-2 text-note leading-snug text-soft">{why.next}</p>
      <TestLink one={one} />
    </li>
  )
}

function DrivableUnit({ one }: { one: YardUnit }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { latest, status, name } = one.unit
  return (
    <li className="flex w-[4.25rem] flex-col" data-unit={name}>
      <Head one={one} />
      <Column column={latest?.column} />
      <div className="mt-2 mb-2 text-note leading-snug **:data-outcome:flex-wrap **:data-outcome:gap-x-2 **:data-outcome:gap-y-0 **:data-status:flex-wrap **:data-status:gap-x-2 **:data-status:gap-y-0">
        {latest && (
          <Link
            to={`/runs/${latest.run_id}`}
            aria-label={t('yard.report', { unit: name })}
            className="hover:underline"
          >
            <OutcomeMark outcome={latest.outcome} closeCall={latest.close_call} />
          </Link>
        )}
        {latest?.drop_psi != null && <p className="num">{figures.difference(latest.drop_psi)}</p>}
        {status && status.status !== 'fit' && <StatusMark status={status.status} stays={false} />}
      </div>
      <TestLink one={one} />
    </li>
  )
}

function Head({ one: { unit } }: { one: YardUnit }) {
  const { t } = useTranslation()
  return (
    <Link to={`/units/${unit.id}`} className="block underline-offset-4 hover:underline">
      <b className="block text-lead leading-tight">{unit.name}</b>
      <span className="block h-5 truncate text-note text-soft">
        {unit.trailers.length ? unit.trailers.join(', ') : t(`kind.${unit.kind}`)}
      </span>
    </Link>
  )
}

function Due({ one: { unit } }: { one: YardUnit }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const due = unit.status?.due_at
  return <>{due && t('status.overdueSince', { day: figures.lastDay(due) })}</>
}

function TestLink({ one: { unit } }: { one: YardUnit }) {
  const { t } = useTranslation()
  return (
    <Link
      to={`/test/new/${unit.id}`}
      aria-label={t('yard.startFor', { unit: unit.name })}
      className="mt-auto inline-grid min-h-touch w-16 place-items-center border-[1.5px] border-air bg-sheet font-semibold text-air hover:bg-air hover:text-on-air"
    >
      {t('yard.start')}
    </Link>
  )
}

/** The one scale that all columns stand on. */
function Scale() {
  const figures = useFigures()
  return (
    <svg width="38" height={HEIGHT} aria-hidden className="mt-11 shrink-0">
      {TICKS_PSI.map((psi) => (
        <text key={psi} x="30" y={y(psi) + 4} textAnchor="end" className="num fill-soft text-note">
          {figures.reading(psi)}
        </text>
      ))}
    </svg>
  )
}

/** The air column of the last test, tall enough to be compared down the row. */
function Column({ column }: { column: Schema['ColumnOut'] | undefined }) {
  return (
    <svg width="60" height={HEIGHT} aria-hidden className="block">
      {TICKS_PSI.map((psi) => (
        <path key={psi} d={`M0 ${y(psi)} h60`} stroke="var(--color-hair)" />
      ))}
      <rect
        x="8"
        y={y(TOP_PSI)}
        width="22"
        height={y(0) - y(TOP_PSI)}
        fill="var(--color-sheet)"
        stroke="var(--color-ink)"
        strokeWidth="1.5"
        strokeDasharray={column ? undefined : '4 3'}
      />
      {column?.fill_psi != null && (
        <rect
          x="9"
          y={y(column.fill_psi)}
          width="20"
          height={y(0) - y(column.fill_psi)}
          fill="var(--color-air)"
        />
      )}
      {column?.bays.map((bay) => (
        <path
          key={bay.stage}
          d={`M6 ${y(bay.high_psi ?? bay.low_psi ?? 0)} h-5 V${y(bay.low_psi ?? bay.high_psi ?? 0)} h5`}
          fill="none"
          stroke="var(--color-ink)"
        />
      ))}
      {column?.pins.map((pin) => (
        <path
          key={pin.stage + pin.point}
          d={`M33 ${y(pin.psi)} l12 -5.5 v11 z`}
          fill={pin.outcome === 'fail' ? 'var(--color-clay)' : 'var(--color-ink)'}
        />
      ))}
    </svg>
  )
}
