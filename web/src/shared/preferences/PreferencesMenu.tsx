import { Popover } from 'radix-ui'
import { useTranslation } from '../i18n/useTranslation'
import { api, need } from '../api'
import { pressureUnits, unitLabel, type PressureUnit } from '../figures/format'
import { languages, type Language } from '../i18n'
import { useSession } from '../session'
import { Choice } from '../ui'
import { lights, usePreferences } from './index'

const languageName = { en: 'English', es: 'Español' }

export function PreferencesMenu() {
  const { t } = useTranslation()
  const { preferences, change } = usePreferences()
  const { me } = useSession()
  // the language and unit are the person's; they are kept with them, and here in any case
  const keep = (part: { language?: Language; pressure_unit?: PressureUnit }) => {
    if (me.person) void need(api.PATCH('/api/session', { body: part })).catch(() => undefined)
  }
  return (
    <Popover.Root>
      <Popover.Trigger className="flex min-h-touch min-w-touch items-center justify-center gap-1 px-1 font-semibold text-ink hover:text-air">
        <span className="sr-only">{t('app.preferences')}:</span>
        {preferences.language.toUpperCase()}
        <span className="max-sm:hidden">· {unitLabel[preferences.unit]}</span>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          className="z-20 grid gap-4 border-2 border-ink bg-sheet p-4 text-ink"
        >
          <Choice
            label={t('app.language')}
            value={preferences.language}
            options={languages.map((value) => ({ value, text: languageName[value] }))}
            onChange={(language) => {
              change({ language })
              keep({ language })
            }}
          />
          <Choice
            label={t('app.unit')}
            value={preferences.unit}
            options={pressureUnits.map((value) => ({ value, text: unitLabel[value] }))}
            onChange={(unit) => {
              change({ unit })
              keep({ pressure_unit: unit })
            }}
          />
          <Choice
            label={t('app.light')}
            value={preferences.light}
            options={lights.map((value) => ({ value, text: t(`app.${value}`) }))}
            onChange={(light) => change({ light })}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
