import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { App, queries } from './app/App'
import { saveOfflineCopy, Recorder } from './device'
import { applyLight, readPreferences } from './shared/preferences'
import { saveApplication } from './app/update'
import { startWords } from './shared/i18n'
import { type RecorderState } from './run'
import './styles.css'

const preferences = readPreferences()
await startWords(preferences.language)
applyLight(preferences.light)

const recorder: RecorderState = await Recorder.open().then(
  (opened) => ({ recorder: opened }),
  (error: unknown) => ({ refusal: error instanceof Error ? error.message : String(error) }),
)

if ('recorder' in recorder) await saveOfflineCopy(queries, recorder.recorder).catch(() => undefined)
saveApplication()

const root = document.getElementById('root')
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App initial={preferences} recorder={recorder} />
    </StrictMode>,
  )
}
