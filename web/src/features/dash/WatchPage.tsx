import { useEffect, useRef, useState } from 'react'
import { useParams } from 'react-router'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { askCore, keepTalking, type Frame } from '../../device'
import { useFigures } from '../../shared/figures/useFigures'
import { Button } from '../../shared/ui'
import { Faults } from './PracticePage'

interface Truth {
  psi: Record<string, number>
  faults: string[]
  mph: number
  tanks: string[]
  possible: string[]
}

interface Watched {
  frame?: Frame
  truth?: Truth
  done?: { refused: string; by?: string; value?: unknown }
  gone?: boolean
  here?: boolean
}

/** A trainer's side of a practice: the driver's dash as it is seen, the truth beside it, and what is wrong with it. */
export function WatchPage() {
  const { practiceId = '' } = useParams()
  const { t } = useTranslation()
  const figures = useFigures()
  const [told, setTold] = useState<Watched>({})
  const [said, setSaid] = useState('')
  const [chosen, setChosen] = useState<string[]>()
  const line = useRef<ReturnType<typeof keepTalking>>(undefined)
  useEffect(() => {
    const made = keepTalking(`/api/practices/${practiceId}/live`, (message) => {
      const heard = message as Watched
      setTold((before) => ({ ...before, gone: false, ...heard }))
      if (!heard.done) return
      const { refused, by } = heard.done
      const why = t(`practice.watch.${refused as 'driver_gone'}`, { defaultValue: refused })
      setSaid(
        refused
          ? t('practice.watch.refused', { why })
          : t('practice.watch.set_by', {
              by: by ?? '',
              what: listOf(heard.done.value) || t('practice.watch.healthy'),
            }),
      )
    })
    line.current = made
    return () => made.end()
  }, [practiceId, t])
  const choices = useQuery({
    queryKey: ['practice-choices', 'tractor_semitrailer', figures.language],
    networkMode: 'always',
    staleTime: Infinity,
    retry: false,
    queryFn: () =>
      askCore('practice_choices', ['"tractor_semitrailer"', figures.language]) as Promise<{
        faults: { id: string; title: string; shows: string }[]
      }>,
  }).data
  const { frame, truth, gone } = told
  const say = (name: string, value: unknown) => line.current?.say({ do: { name, value } })
  const faults = chosen ?? truth?.faults ?? []
  const titleOf = (fault: string) =>
    choices?.faults.find(({ id }) => id === fault.split(':')[0])?.title ?? fault
  return (
    <div className="max-w-6xl py-5">
      <h1 className="text-title">{t('practice.watch.title')}</h1>
      <p className="text-note text-soft">{t('practice.watch.hint')}</p>
      <p role="status" className="min-h-6 font-semibold">
        {gone ? t('practice.watch.gone') : !frame ? t('practice.watch.waiting') : said}
      </p>
      {truth && (
        <p className="mt-2 border-l-4 border-clay pl-3 text-lead font-bold" data-set>
          {truth.faults.map(titleOf).join(', ') || t('practice.watch.healthy')}
        </p>
      )}
      <div className="mt-4 grid gap-8 lg:grid-cols-3">
        <section>
          <h2 className="text-lead font-bold">{t('practice.watch.sees')}</h2>
          {frame && (
            <dl className="mt-2 grid grid-cols-2 gap-y-1">
              <Row name={t('practice.primary')} value={figures.pressure(frame.needles[0] ?? 0)} />
              {frame.needles[1] !== undefined && (
                <Row name={t('practice.secondary')} value={figures.pressure(frame.needles[1])} />
              )}
              <Row name={t('practice.lowAir')} value={t(frame.lamp ? 'practice.lit' : 'practice.dark')} />
              <Row name={t('practice.key')} value={t(`practice.keys.${frame.key}`)} />
              <Row name={t('practice.revs')} value={String(frame.rpm)} />
              <Row name={t('practice.pedal')} value={`${Math.round(frame.pedal * 100)} %`} />
              <Row
                name={t('practice.knobName.parking')}
                value={t(frame.parking ? 'practice.in' : 'practice.out')}
              />
              <Row
                name={t('practice.knobName.trailer')}
                value={t(frame.trailer ? 'practice.in' : 'practice.out')}
              />
            </dl>
          )}
        </section>
        <section>
          <h2 className="text-lead font-bold">{t('practice.watch.truth')}</h2>
          {truth && (
            <dl className="mt-2 grid grid-cols-[1fr_auto_auto] items-center gap-x-3 gap-y-1">
              {Object.entries(truth.psi).map(([name, psi]) => (
                <div key={name} className="contents">
                  <dt>{name.replace('_', ' ')}</dt>
                  <dd className="num text-right text-lead">{figures.pressure(psi)}</dd>
                  <dd>
                    {truth.tanks.includes(name) && (
                      <button
                        type="button"
                        className="min-h-touch px-2 text-note underline underline-offset-4"
                        onClick={() => say('empty', name)}
                      >
                        {t('practice.watch.empty')}
                      </button>
                    )}
                  </dd>
                </div>
              ))}
            </dl>
          )}
        </section>
        <section className="grid content-start gap-3">
          <h2 className="text-lead font-bold">{t('practice.watch.set')}</h2>
          <Faults
            chosen={faults}
            choices={(choices?.faults ?? []).filter(({ id }) => truth?.possible.includes(id))}
            onChange={setChosen}
          />
          <div className="flex gap-2">
            <Button
              tone="air"
              onClick={() => {
                say('faults', faults)
                setChosen(undefined)
              }}
            >
              {t('practice.watch.apply')}
            </Button>
            <Button
              onClick={() => {
                say('faults', [])
                setChosen(undefined)
              }}
            >
              {t('practice.watch.healthy')}
            </Button>
          </div>
        </section>
      </div>
    </div>
  )
}

const listOf = (faults: unknown): string => (Array.isArray(faults) ? faults.join(', ') : String(faults ?? ''))

const Row = ({ name, value }: { name: string; value: string }) => (
  <>
    <dt className="text-soft">{name}</dt>
    <dd className="num text-right text-lead">{value}</dd>
  </>
)
