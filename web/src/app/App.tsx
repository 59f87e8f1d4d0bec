import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { Suspense, useCallback, useEffect, useMemo, useState } from 'react'
import { BrowserRouter, Route, Routes } from 'react-router'
import { ApiError, FLEET_KEYS, readAs } from '../shared/api'
import { changeLanguage } from '../shared/i18n'
import { mute, RecorderContext, type RecorderState } from '../run'
import { SessionGate } from './SessionGate'
import { applyLight, savePreferences, PreferencesContext, type Preferences } from '../shared/preferences'
import {
  AboutPage,
  AfterPage,
  DashPage,
  PracticePage,
  WatchPage,
  GatePage,
  Learn,
  Rules,
  CheckPage,
  ComparePage,
  LogPage,
  PeoplePage,
  InspectionPage,
  InspectionReport,
  SetupPage,
  ReportPage,
  StartInspection,
  TestPage,
  TracesPage,
  UnitPage,
  UnitsPage,
  WorkshopPage,
  YardPage,
  NotFound,
  Shell,
} from './screens'

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 2_000,
      retry: (count, error) => error instanceof ApiError && error.passing && count < 30,
      retryDelay: (count) => Math.min(500 * 2 ** count, 5_000),
    },
  },
})

/** The seal that a paper's code asks for: no account is needed to check it. */
const sealed = location.pathname.match(/^\/check\/([0-9a-f]{64})$/)?.[1]

export function App({ initial, recorder }: { initial: Preferences; recorder: RecorderState }) {
  const [preferences, setPreferences] = useState(() => {
    readAs(initial.language, initial.unit)
    return initial
  })
  const change = useCallback(
    (part: Partial<Preferences>) => setPreferences((now) => ({ ...now, ...part })),
    [],
  )
  const setting = useMemo(() => ({ preferences, change }), [preferences, change])
  useEffect(() => {
    savePreferences(preferences)
    applyLight(preferences.light)
    mute(preferences.tones === 'off')
    document.documentElement.lang = preferences.language
    void changeLanguage(preferences.language).catch(() => undefined)
    readAs(preferences.language, preferences.unit)
  }, [preferences])
  const { language, unit } = preferences
  useEffect(
    () => void queries.invalidateQueries({ predicate: ({ queryKey }) => FLEET_KEYS.includes(queryKey[0]) }),
    [language, unit],
  )

  return (
    <PreferencesContext value={setting}>
      <RecorderContext value={recorder}>
        <QueryClientProvider client={queries}>
          {sealed ? (
            <Suspense>
              <CheckPage hash={sealed} />
            </Suspense>
          ) : (
            <SessionGate>
              <BrowserRouter>
                <Suspense>
                  <Routes>
                    <Route path="test/new/:unitId" element={<SetupPage />} />
                    <Route path="test/:runId" element={<TestPage />} />
                    <Route path="inspection/new/:unitId" element={<StartInspection />} />
                    <Route path="inspection/:inspectionId" element={<InspectionPage />} />
                    <Route path="practice/:practiceId" element={<DashPage />} />
                    <Route element={<Shell />}>
                      <Route path="practice" element={<PracticePage />} />
                      <Route path="learn/*" element={<Learn />} />
                      <Route path="practice/:practiceId/after" element={<AfterPage />} />
                      <Route path="practice/:practiceId/watch" element={<WatchPage />} />
                      <Route index element={<YardPage />} />
                      <Route path="gate" element={<GatePage />} />
                      <Route path="log" element={<LogPage />} />
                      <Route path="traces" element={<TracesPage />} />
                      <Route path="log/compare" element={<ComparePage />} />
                      <Route path="units" element={<UnitsPage />} />
                      <Route path="units/:unitId" element={<UnitPage />} />
                      <Route path="workshop" element={<WorkshopPage />} />
                      <Route path="people" element={<PeoplePage />} />
                      <Route path="rules/*" element={<Rules />} />
                      <Route path="runs/:runId" element={<ReportPage />} />
                      <Route path="inspections/:inspectionId" element={<InspectionReport />} />
                      <Route path="about" element={<AboutPage />} />
                      <Route path="*" element={<NotFound />} />
                    </Route>
                  </Routes>
                </Suspense>
              </BrowserRouter>
            </SessionGate>
          )}
        </QueryClientProvider>
      </RecorderContext>
    </PreferencesContext>
  )
}
