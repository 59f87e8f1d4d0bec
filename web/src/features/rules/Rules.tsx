import { NavLink, Route, Routes } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useMay } from '../../shared/session'
import { CardPage } from './CardPage'
import { OrdersPage } from './OrdersPage'
import { RulesPage } from './RulesPage'
import { SumsPage } from './SumsPage'
import { WhatIfPage } from './WhatIfPage'

const rooms = [
  { to: '/rules', word: 'limits' },
  { to: '/rules/orders', word: 'orders' },
  { to: '/rules/what-if', word: 'whatIf', may: 'askWhatIf' },
  { to: '/rules/sums', word: 'sums' },
] as const

/** The rule desk: limits, orders of work, what if, and the sums. */
export function Rules() {
  const { t } = useTranslation()
  const asks = useMay('askWhatIf')
  return (
    <>
      <div className="no-print flex flex-wrap items-baseline gap-x-8 pt-2">
        <h1 className="text-title">{t('rules.title')}</h1>
        <nav aria-label={t('rules.title')} className="flex flex-wrap gap-x-5">
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
      </div>
      <Routes>
        <Route index element={<RulesPage />} />
        <Route path="orders" element={<OrdersPage />} />
        <Route path="what-if" element={<WhatIfPage />} />
        <Route path="sums" element={<SumsPage />} />
        <Route path="card/:unitId" element={<CardPage />} />
      </Routes>
    </>
  )
}
