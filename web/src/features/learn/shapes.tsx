import type { Schema } from '../../shared/api'

export type LessonState = Schema['LessonStatusOut']['state']

/** How a lesson stands, as a shape: told apart without colour, and small enough for a board of many. */
export function StateShape({ state, label }: { state: LessonState; label: string }) {
  const box = { x: 1, y: 1, width: 16, height: 16, strokeWidth: 1.6 }
  return (
    <svg width="18" height="18" role="img" aria-label={label} className="shrink-0" data-state={state}>
      <title>{label}</title>
      {state === 'locked' && <path d="M3 9H15" className="stroke-soft" strokeWidth="1.6" />}
      {state === 'open' && <rect {...box} className="fill-none stroke-ink" />}
      {state === 'begun' && (
        <>
          <rect {...box} className="fill-none stroke-ink" />
          <path d="M1 17V1L17 17Z" className="fill-ink" />
        </>
      )}
      {state === 'passed' && <rect {...box} className="fill-ink stroke-ink" />}
      {state === 'helped' && (
        <>
          <rect {...box} className="fill-ink stroke-ink" />
          <rect x="6" y="6" width="6" height="6" className="fill-paper" />
        </>
      )}
      {state === 'stale' && (
        <>
          <rect {...box} className="fill-none stroke-ink" strokeDasharray="3 2.4" />
          <rect x="5" y="5" width="8" height="8" className="fill-ink" />
        </>
      )}
    </svg>
  )
}

/** The latest examinations: clean, with something critical, or not driven. */
export function ExamMark({ mark, label }: { mark: string; label: string }) {
  return (
    <svg width="18" height="18" role="img" aria-label={label} className="shrink-0">
      <title>{label}</title>
      {mark === 'clean' && <rect x="1" y="1" width="16" height="16" className="fill-ink" />}
      {mark === 'critical' && <path d="M1 17L17 17L1 1Z" className="fill-clay" />}
      {mark === 'missing' && (
        <rect x="2" y="2" width="14" height="14" className="fill-none stroke-soft" strokeDasharray="2 3" />
      )}
    </svg>
  )
}
