import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import { MemoryRouter } from 'react-router'
import { PreferencesContext, type Preferences } from '../shared/preferences'

/** What every screen stands in, for a component on its own. */
export function Frame({ children, ...part }: { children: ReactNode } & Partial<Preferences>) {
  const preferences: Preferences = {
    ...{ language: 'en', unit: 'psi', light: 'day', tones: 'on', speech: 'off', calls: 'en' },
    ...part,
  }
  return (
    <PreferencesContext value={{ preferences, change: () => undefined }}>
      <QueryClientProvider client={new QueryClient()}>
        <MemoryRouter>{children}</MemoryRouter>
      </QueryClientProvider>
    </PreferencesContext>
  )
}
