import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App } from './app/App'
import { applyLight, readPreferences } from './app/preferences'
import { startWords } from './i18n'
import { Recorder, type RecorderState } from './live'
import './styles.css'

const preferences = readPreferences()
startWords(preferences.language)
applyLight(preferences.light)

const recorder: RecorderState = await Recorder.open().then(
  (opened) => ({ recorder: opened }),
  (error: unknown) => ({ refusal: error instanceof Error ? error.message : String(error) }),
)

const root = document.getElementById('root')
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App initial={preferences} recorder={recorder} />
    </StrictMode>,
  )
}
