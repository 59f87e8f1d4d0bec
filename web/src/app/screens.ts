/** Every screen is loaded when it is opened; the service worker keeps all of them on the device. */

import { createElement, lazy } from 'react'
import { needWords } from '../shared/i18n'

/** A screen with words of its own. */
const worded = async <T>(load: Promise<T>): Promise<T> =>
  (
    await Promise.all([
      load,
      needWords('inspection', 'units', 'people', 'log', 'rules', 'practice', 'learn', 'yard', 'acts'),
    ])
  )[0]

export const GatePage = lazy(() => worded(import('../features/yard')).then((m) => ({ default: m.GatePage })))
export const AboutPage = lazy(() =>
  worded(import('../features/about')).then((m) => ({ default: m.AboutPage })),
)
export const LogPage = lazy(() => worded(import('../features/log')).then((m) => ({ default: m.LogPage })))
export const ComparePage = lazy(() =>
  worded(import('../features/log')).then((m) => ({ default: m.ComparePage })),
)
export const CheckPage = lazy(() =>
  worded(import('../features/check')).then((m) => ({ default: m.CheckPage })),
)
export const PeoplePage = lazy(() =>
  worded(import('../features/people')).then((m) => ({ default: m.PeoplePage })),
)
export const PracticePage = lazy(() =>
  worded(import('../features/dash')).then((m) => ({ default: m.PracticePage })),
)
export const Learn = lazy(() => worded(import('../features/learn')).then((m) => ({ default: m.Learn })))
export const AfterPage = lazy(() =>
  worded(import('../features/dash')).then((m) => ({ default: m.AfterPage })),
)
export const WatchPage = lazy(() =>
  worded(import('../features/dash')).then((m) => ({ default: m.WatchPage })),
)
/** The vehicle, with the test screen beside it: two features that do not know each other. */
export const DashPage = lazy(() =>
  Promise.all([
    worded(import('../features/dash')),
    import('../features/test'),
    import('../features/test/Alone'),
  ]).then(([dash, test, { Coached }]) => ({
    default: () =>
      createElement(dash.DashPage, {
        conductor: (props) => createElement(test.Conductor, { ...props, around: Coached }),
      }),
  })),
)
export const InspectionPage = lazy(() =>
  worded(import('../features/inspection')).then((m) => ({ default: m.InspectionPage })),
)
export const InspectionReport = lazy(() =>
  worded(import('../features/inspection')).then((m) => ({ default: m.InspectionReport })),
)
export const StartInspection = lazy(() =>
  worded(import('../features/inspection')).then((m) => ({ default: m.StartInspection })),
)
export const SetupPage = lazy(() =>
  worded(import('../features/setup')).then((m) => ({ default: m.SetupPage })),
)
export const ReportPage = lazy(() =>
  worded(import('../features/report')).then((m) => ({ default: m.ReportPage })),
)
export const TracesPage = lazy(() =>
  worded(import('../features/traces')).then((m) => ({ default: m.TracesPage })),
)
export const TestPage = lazy(() => import('../features/test').then((m) => ({ default: m.TestPage })))
export const UnitPage = lazy(() => worded(import('../features/units')).then((m) => ({ default: m.UnitPage })))
export const UnitsPage = lazy(() =>
  worded(import('../features/units')).then((m) => ({ default: m.UnitsPage })),
)
export const WorkshopPage = lazy(() =>
  worded(import('../features/units')).then((m) => ({ default: m.WorkshopPage })),
)
export const YardPage = lazy(() => worded(import('../features/yard')).then((m) => ({ default: m.YardPage })))
export const Shell = lazy(() => import('./Shell').then((m) => ({ default: m.Shell })))
export const NotFound = lazy(() => import('./Shell').then((m) => ({ default: m.NotFound })))
export const SignIn = lazy(() => import('../features/signin').then((m) => ({ default: m.SignIn })))
export const Rules = lazy(() => worded(import('../features/rules')).then((m) => ({ default: m.Rules })))
