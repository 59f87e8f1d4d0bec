import { NavLink, Route, Routes } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { useMay } from '../../shared/session'
import { CardsPage } from './CardsPage'
import { ClassesPage } from './ClassesPage'
import { LessonsPage } from './LessonsPage'

const ROOMS = [
  { to: '/learn', word: 'lessons', end: true },
  { to: '/practice', word: 'vehicle' },
  { to: '/learn/cards', word: 'cards' },
] as const

/** Learning: its rooms, and the one that is open. */
export function Learn() {
  return (
    <div className="pt-2">
      <Rooms />
      <Routes>
        <Route index element={<LessonsPage />} />
        <Route path="cards" element={<CardsPage />} />
        <Route path="classes" element={<ClassesPage />} />
      </Routes>
    </div>
  )
}

function Rooms() {
  const { t } = useTranslation()
  const teaches = useMay('listClasses')
  const rooms = teaches ? [...ROOMS, { to: '/learn/classes', word: 'classes' } as const] : ROOMS
  return (
    <nav aria-label={t('practice.title')} className="no-print flex flex-wrap gap-x-5 border-b border-line">
      {rooms.map(({ to, word, ...room }) => (
        <NavLink
          key={to}
          to={to}
          end={'end' in room}
          className={({ isActive }) =>
            `inline-flex min-h-touch min-w-touch items-center border-b-4 pt-1 ${isActive ? 'border-ink font-semibold' : 'border-transparent text-soft hover:text-ink'}`
          }
        >
          {t(`learn.rooms.${word}`)}
        </NavLink>
      ))}
    </nav>
  )
}
