import { useTranslation } from 'react-i18next'
import { NavLink, Outlet } from 'react-router'
import { useMay } from '../../shared/session'

const rooms = [
  { to: '/rules', word: 'limits' },
  { to: '/rules/orders', word: 'orders' },
  { to: '/rules/what-if', word: 'whatIf', may: 'askWhatIf' },
  { to: '/rules/sums', word: 'sums' },
] as const

/** The rule desk: limits, orders of work, what if, and the sums. */
export function RulesRoom() {
  const { t } = useTranslation()
  const asks = useMay('askWhatIf')
  return (
    <>
      <nav aria-label={t('rules.title')} className="no-print flex flex-wrap items-baseline gap-x-5 pt-3">
        {rooms
          .filter((room) => !('may' in room) || asks)
          .map(({ to, word }) => (
            <NavLink
              key={to}
              to={to}
              end
              className={({ isActive }) =>
                `inline-flex min-h-touch items-center border-b-[3px] ${isActive ? 'border-ink font-semibold' : 'border-transparent text-soft hover:text-ink'}`
              }
            >
              {t(`rules.rooms.${word}`)}
            </NavLink>
          ))}
      </nav>
      <Outlet />
    </>
  )
}
