import { useTranslation } from '../../shared/i18n/useTranslation'
import { useFigures } from '../../shared/figures/useFigures'
import { secondsSince } from '../../device'
import { type FeedState, type Proposal, type MarkPrompt, type TestState } from '../../run'
import { Button } from '../../shared/ui'
import type { Phase } from './phase'

interface FeedSignsProps {
  feed: FeedState
  state: TestState
  phase: Phase
  /** Make these marks as they were seen. */
  onTake: (marks: MarkPrompt['marks'], proposal: Proposal) => void
}

/** What the feed has seen, to be confirmed by one tap, and what is wrong with it, said at once. */
export function FeedSigns({ feed, state, phase, onTake }: FeedSignsProps) {
  const { t } = useTranslation()
  const figures = useFigures()
  const seen = phase.name === 'prompt' ? seenFor(feed, phase.prompt.name, phase.missing) : undefined
  const proposal = seen?.proposal
  const against = disagreement(feed, state)
  const silent = feed.apart ? ('apart' as const) : ('stopped' as const)
  const trouble = feed.stopped ? silent : feed.trouble
  return (
    <>
      {(trouble || against) && (
        <p
          role="alert"
          data-feed={trouble ?? 'disagrees'}
          className="border-l-4 border-clay pl-3 font-semibold"
        >
          {trouble && t(`test.feed.${trouble}`)}
          {!trouble && against && t(`test.feed.${against}`)}
        </p>
      )}
      {proposal && (
        <Button
          data-proposal={proposal.moment}
          className="self-start border-air text-air"
          onClick={() => onTake(seen.marks, proposal)}
        >
          {t('test.feed.take', {
            what: t(`test.feed.moment.${proposal.moment}`),
            psi: figures.pressure(Math.min(...Object.values(proposal.numbers))),
            seconds: figures.seconds(Math.round(secondsSince(proposal.at))),
          })}
        </Button>
      )}
    </>
  )
}

const KNOB_OF: Partial<Record<Proposal['moment'], string>> = {
  tractor_out: 'tractor',
  trailer_out: 'trailer',
}

/** The newest moment that is one of what is still to be marked, with the marks it makes. */
function seenFor(feed: FeedState, prompt: string, missing: MarkPrompt['marks']) {
  for (const proposal of [...feed.proposals].reverse()) {
    const knob = KNOB_OF[proposal.moment]
    const marks = knob ? missing.filter((mark) => mark.knob === knob) : missing
    const fits = knob ? prompt === 'popped' : prompt === proposal.moment
    if (fits && marks.length > 0) return { proposal, marks }
  }
  return undefined
}

/** A knob that the feed shows otherwise than it was marked. */
function disagreement(
  feed: FeedState,
  state: TestState,
): 'tractorIn' | 'tractorOut' | 'trailerIn' | 'trailerOut' | null {
  for (const knob of ['tractor', 'trailer'] as const) {
    const shown = feed.knobs[knob]
    const marked = state.events.findLast(({ type, knob: which }) => type === 'knob' && which === knob)
    if (shown === undefined || !marked || secondsSince(marked) < SETTLE_S) continue
    if (shown && marked.state === 'out') return `${knob}In`
    if (!shown && marked.state === 'in' && !feed.proposals.some(({ moment }) => moment === `${knob}_out`)) {
      return `${knob}Out`
    }
  }
  return null
}

/** A hand on the knob and a thumb on the screen do not meet to the second. */
const SETTLE_S = 4
