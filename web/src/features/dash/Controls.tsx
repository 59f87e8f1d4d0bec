import { useRef, type ReactNode } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Described, Practice } from '../../device'
import { setIfNew, useEachPicture, useSense } from './useSense'

interface PartProps {
  practice: Practice
}

const Group = ({ name, keys, children }: { name: string; keys?: string; children: ReactNode }) => (
  <fieldset className="min-w-0">
    <legend className="mb-0.5 flex items-center gap-2 text-note">
      <b>{name}</b>
      {keys && (
        <kbd className="border-[1.5px] border-soft px-1 font-sans text-[13px] text-soft max-lg:hidden">
          {keys}
        </kbd>
      )}
    </legend>
    {children}
  </fieldset>
)

const place = (on: boolean): string =>
  `min-h-touch min-w-touch grow border-[1.5px] border-ink px-2 font-semibold touch-manipulation select-none ${on ? 'bg-ink text-on-ink' : 'bg-sheet'}`

/** The key: off, on, and a start that springs back when it is let go. */
export function Key({ practice }: PartProps) {
  const { t } = useTranslation()
  const key = useSense(practice, (frame) => frame.key, 'off')
  const letGo = () => practice.frame?.key === 'start' && practice.control('key', 'on')
  return (
    <Group name={t('practice.key')} keys="K L">
      <div className="flex">
        {(['off', 'on'] as const).map((at) => (
          <button
            key={at}
            type="button"
            aria-pressed={key === at}
            data-key={at}
            onClick={() => practice.control('key', at)}
            className={place(key === at)}
          >
            {t(`practice.keys.${at}`)}
          </button>
        ))}
        <button
          type="button"
          aria-pressed={key === 'start'}
          data-key="start"
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId)
            practice.control('key', 'start')
          }}
          onPointerUp={letGo}
          onPointerCancel={letGo}
          onContextMenu={(event) => event.preventDefault()}
          onKeyDown={(event) => event.key === 'Enter' && !event.repeat && practice.control('key', 'start')}
          onKeyUp={(event) => event.key === 'Enter' && letGo()}
          className={`${place(key === 'start')} touch-none leading-tight`}
        >
          {t('practice.keys.start')}
          <span className="block text-[13px] font-normal">{t('practice.startHint')}</span>
        </button>
      </div>
    </Group>
  )
}

/** The lever's gate, or the selector's buttons. */
export function Gear({ practice, described }: PartProps & { described: Described }) {
  const { t } = useTranslation()
  const gear = useSense(practice, (frame) => frame.gear, 'N')
  return (
    <Group name={t('practice.gear')} keys={described.clutch ? 'G' : 'R N D'}>
      <div className="flex">
        {described.gears.map((at) => (
          <button
            key={at}
            type="button"
            aria-pressed={gear === at}
            data-gear={at}
            onClick={() => practice.control('gear', at)}
            className={`${place(gear === at)} max-sm:px-1`}
          >
            {at}
          </button>
        ))}
      </div>
    </Group>
  )
}

/** A slider under the thumb: where it is let go it stays, or springs back. */
function Slide({ label, name, practice, read, springs }: PartProps & SlideProps) {
  const fill = useRef<HTMLSpanElement>(null)
  const held = useRef(false)
  const slide = useRef<HTMLDivElement>(null)
  useEachPicture(practice, (frame) => {
    const value = read(frame)
    setIfNew(fill.current, 'style', `width: ${value * 100}%`)
    setIfNew(slide.current, 'aria-valuenow', String(Math.round(value * 100)))
  })
  const to = (x: number, box: DOMRect) =>
    practice.control(name, Number(Math.min(1, Math.max(0, (x - box.left) / box.width)).toFixed(2)))
  return (
    <div
      ref={slide}
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={0}
      data-slide={name}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId)
        held.current = true
        to(event.clientX, event.currentTarget.getBoundingClientRect())
      }}
      onPointerMove={(event) =>
        held.current && to(event.clientX, event.currentTarget.getBoundingClientRect())
      }
      onPointerUp={() => {
        held.current = false
        if (springs) practice.control(name, 0)
      }}
      onPointerCancel={() => {
        held.current = false
        if (springs) practice.control(name, 0)
      }}
      onKeyDown={(event) => {
        const step = { ArrowRight: 0.05, ArrowUp: 0.05, ArrowLeft: -0.05, ArrowDown: -0.05 }[event.key]
        if (step === undefined || !practice.frame) return
        event.preventDefault()
        event.stopPropagation()
        const now = read(practice.frame)
        practice.control(name, Number(Math.min(1, Math.max(0, now + step)).toFixed(2)))
      }}
      className="relative h-12 touch-none border-[1.5px] border-ink bg-sheet"
    >
      <span ref={fill} aria-hidden className="absolute inset-y-0 left-0 bg-ink" />
      <span
        aria-hidden
        className="absolute inset-x-0 top-0 h-2"
        style={{ background: 'repeating-linear-gradient(90deg, currentColor 0 1px, transparent 1px 10%)' }}
      />
    </div>
  )
}

interface SlideProps {
  label: string
  name: 'throttle' | 'clutch'
  read: (frame: NonNullable<Practice['frame']>) => number
  springs?: boolean
}

export function Throttle({ practice }: PartProps) {
  const { t } = useTranslation()
  return (
    <Group name={t('practice.throttle')} keys="W + −">
      <div className="flex gap-1">
        <div className="min-w-16 grow">
          <Slide
            {...{ practice }}
            label={t('practice.throttle')}
            name="throttle"
            read={(f) => f.throttle}
            springs
          />
        </div>
        <button
          type="button"
          aria-label={t('practice.idleDown')}
          onClick={() => practice.control('idle', -1)}
          className={`${place(false)} grow-0`}
        >
          −
        </button>
        <button
          type="button"
          aria-label={t('practice.idleUp')}
          onClick={() => practice.control('idle', 1)}
          className={`${place(false)} grow-0`}
        >
          +
        </button>
      </div>
    </Group>
  )
}

export function Clutch({ practice }: PartProps) {
  const { t } = useTranslation()
  const down = useSense(practice, (frame) => frame.clutch >= 0.95, false)
  return (
    <Group name={t('practice.clutch')} keys="C [ ]">
      <div className="flex gap-1">
        <div className="min-w-16 grow">
          <Slide {...{ practice }} label={t('practice.clutch')} name="clutch" read={(f) => f.clutch} />
        </div>
        <button
          type="button"
          aria-pressed={down}
          data-clutch
          onClick={() => practice.control('clutch', down ? 0 : 1)}
          className={`${place(down)} grow-0`}
        >
          {t(down ? 'practice.clutchDown' : 'practice.clutchUp')}
        </button>
      </div>
    </Group>
  )
}

/** Window, belt and mirrors; getting out, and the chocks once outside. */
export function CabSwitches({ practice }: PartProps) {
  const { t } = useTranslation()
  const window_ = useSense(practice, (frame) => frame.window, 'up')
  const belt = useSense(practice, (frame) => frame.belt, 'off')
  const where = useSense(practice, (frame) => frame.where, 'cab')
  const front = useSense(practice, (frame) => frame.chocks.front, 'under')
  const back = useSense(practice, (frame) => frame.chocks.back, 'under')
  const NEXT = { under: 'ground', ground: 'stowed', stowed: 'under' } as Record<string, string>
  if (where === 'outside') {
    return (
      <Group name={t('practice.chocks')} keys="1 2 3">
        <div className="grid gap-1">
          {[['front', front] as const, ['back', back] as const].map(([which, at]) => (
            <button
              key={which}
              type="button"
              data-chock={which}
              onClick={() => practice.control(`chock_${which}`, NEXT[at])}
              className={`${place(at === 'under')} text-note`}
            >
              {t(`practice.chock.${which}`)}: {t(`practice.chockAt.${at as 'under'}`)}
            </button>
          ))}
          <button
            type="button"
            data-where="cab"
            onClick={() => practice.control('where', 'cab')}
            className={place(false)}
          >
            {t('practice.back')}
          </button>
        </div>
      </Group>
    )
  }
  const away = where === 'walking'
  return (
    <div className="grid grid-cols-2 gap-1">
      <button
        type="button"
        disabled={away}
        aria-pressed={window_ === 'down'}
        onClick={() => practice.control('window', window_ === 'down' ? 'up' : 'down')}
        className={`${place(window_ === 'down')} text-note`}
      >
        {t('practice.window')} {t(`practice.windows.${window_}`)}
      </button>
      <button
        type="button"
        disabled={away}
        aria-pressed={belt === 'on'}
        onClick={() => practice.control('belt', belt === 'on' ? 'off' : 'on')}
        className={`${place(belt === 'on')} text-note`}
      >
        {t('practice.belt')} {t(`practice.belts.${belt}`)}
      </button>
      {(['left', 'right'] as const).map((side) => (
        <button
          key={side}
          type="button"
          disabled={away}
          data-mirror={side}
          onClick={() => practice.control('mirror', side)}
          className={`${place(false)} text-note`}
        >
          {t('practice.mirrors')} {t(`practice.mirror.${side}`)}
        </button>
      ))}
      <button
        type="button"
        disabled={away}
        data-where="outside"
        onClick={() => practice.control('where', 'outside')}
        className={`${place(false)} col-span-2 text-note`}
      >
        {t(away ? 'practice.walking' : 'practice.leave')}
      </button>
    </div>
  )
}
