import { useTranslation } from '../../shared/i18n/useTranslation'
import type { Practice } from '../../device'
import { useSense } from './useSense'

const LOUD = 6
const PLAIN = 3

/** What can be heard, in words: source, place and how loud, and not more than an ear would get. */
export function Heard({ practice }: { practice: Practice }) {
  const { t } = useTranslation()
  const heard = useSense(
    practice,
    (frame) =>
      frame.sounds
        .map(({ name, place, level }) => {
          const loud = level >= LOUD ? 'loud' : level >= PLAIN ? 'plain' : 'faint'
          const at = t(`practice.places.${place as 'dash'}`)
          const how = name === 'hiss' ? `, ${t(`practice.loud.${loud}`)}` : ''
          return `${t(`practice.sounds.${name as 'hiss'}`)}${name === 'hiss' && at ? ` ${at}` : ''}${how}`
        })
        .join(' · '),
    '',
  )
  return (
    <p aria-live="polite" data-heard className="truncate text-note max-sm:text-[13px]">
      <span className="text-soft">{t('practice.heard')}: </span>
      {heard || t('practice.silence')}
    </p>
  )
}
