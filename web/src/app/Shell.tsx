import { Suspense } from 'react'
import { useTranslation } from '../shared/i18n/useTranslation'
import { Notice } from '../shared/ui'
import { useQuery } from '@tanstack/react-query'
import { Link, NavLink, Outlet } from 'react-router'
import { aboutQuery } from '../shared/api'
import { useMay } from '../shared/session'
import { AccountMenu } from './AccountMenu'
import { PreferencesMenu } from '../shared/preferences/PreferencesMenu'
import { useUpdate } from './update'
import { WaitingMarks } from './WaitingMarks'

const rooms = [
  { to: '/', word: 'yard' },
  { to: '/log', word: 'log' },
  // on a phone the yard leads to them: one row is all the head may take
  { to: '/units', word: 'units', wide: true },
  { to: '/workshop', word: 'workshop' },
  { to: '/learn', word: 'practice', wide: true },
  { to: '/rules', word: 'rules', wide: true },
] as const
const peopleRoom = { to: '/people', word: 'people' } as const

export function Shell() {
  const { t } = useTranslation()
  const about = useQuery(aboutQuery())
  const update = useUpdate()
  const seesPeople = useMay('listPeople')
  return (
    <div className="flex min-h-dvh flex-col">
      <a
        href="#page"
        className="absolute -top-20 left-4 bg-ink px-3 py-3.5 text-on-ink focus:top-2 focus:z-10"
      >
        {t('app.skip')}
      </a>
      <header className="no-print flex items-center justify-between gap-x-3 border-b-2 border-ink px-4 sm:flex-wrap sm:justify-start sm:gap-x-7 sm:gap-y-1 sm:px-6">
        {/* on a phone the yard is the way home: one row is all the head may take of a screen */}
        <Link to="/" className="py-3 text-lead font-extrabold max-sm:hidden" style={{ fontStretch: '118%' }}>
          Low Hiss
        </Link>
        <nav className="flex gap-3 max-sm:text-note sm:gap-5">
          {(seesPeople ? [...rooms, peopleRoom] : rooms).map(({ to, word, ...room }) => (
            <NavLink
              key={to}
              to={to}
              end={to === '/'}
              className={({ isActive }) =>
                `${'wide' in room ? 'max-sm:hidden' : ''} inline-flex min-h-touch min-w-touch justify-center border-b-4 py-3 ${isActive ? 'border-air font-semibold text-ink' : 'border-transparent text-soft hover:text-ink'}`
              }
            >
              {t(`app.${word}`)}
            </NavLink>
          ))}
        </nav>
        <div className="flex items-center text-note text-soft sm:ml-auto sm:gap-4">
          {about.data?.owner && <span className="max-sm:hidden">{about.data.owner}</span>}
          {about.data?.demo && (
            <span className="border border-ink px-2 py-0.5 font-semibold text-ink max-sm:hidden">
              {t('app.demo')}
            </span>
          )}
          <AccountMenu />
          <PreferencesMenu />
        </div>
      </header>
      <main id="page" className="grow px-4 pb-8 sm:px-6">
        <Suspense fallback={<Notice />}>
          <Outlet />
        </Suspense>
      </main>
      <footer className="border-t border-line px-4 py-3 text-note text-soft sm:px-6">
        {about.data?.demo && <b className="text-ink sm:hidden">{t('app.demo')}. </b>}
        {t('app.caution')}{' '}
        <Link to="/about" className="inline-flex min-h-touch items-center underline underline-offset-4">
          {t('app.about')}
        </Link>
      </footer>
      {/* at the bottom, where what comes and goes moves nothing that a thumb is aiming at */}
      <div className="no-print sticky bottom-0 z-10">
        <WaitingMarks />
        {update && (
          <p role="status" className="flex flex-wrap items-center gap-4 bg-ink px-4 text-on-ink sm:px-6">
            {t('app.newVersion')}
            <button
              type="button"
              onClick={update}
              className="min-h-touch font-semibold underline underline-offset-4"
            >
              {t('app.useNewVersion')}
            </button>
          </p>
        )}
      </div>
    </div>
  )
}

export function NotFound() {
  const { t } = useTranslation()
  return (
    <div className="py-10">
      <h1 className="text-title">{t('app.notFound')}</h1>
      <Link to="/" className="mt-4 inline-block font-semibold text-air underline">
        {t('app.toYard')}
      </Link>
    </div>
  )
}
