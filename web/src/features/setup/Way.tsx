import { Collapsible } from 'radix-ui'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import type { RunSetup } from '../../device'
import { speak, tryTones, unlockSound } from '../../run'
import { useRulebook } from '../../shared/figures/useRulebook'
import { usePreferences } from '../../shared/preferences'
import { Button, Choice } from '../../shared/ui'
import { Select } from './fields'
import { callsFor } from './useSetup'
import type { SetupState } from './useSetup'

/** How the test is led: one line that says it, and everything that can be chosen behind a tap. */
export function Way({ state, procedure }: { state: SetupState; procedure: string }) {
  const { t } = useTranslation()
  const book = useRulebook()
  const { setup, rules, change } = state
  return (
    <Collapsible.Root className="grid content-start gap-5">
      <div>
        <span className="text-note text-soft">{t('setup.way')}</span>
        <Collapsible.Trigger
          data-way
          className="group flex min-h-touch w-full items-center justify-between gap-4 border-[1.5px] border-ink bg-sheet px-3 py-2 text-left"
        >
          <span>{useSaid(state, procedure).join(', ')}</span>
          <span className="text-note underline underline-offset-4 group-data-[state=open]:hidden">
            {t('setup.change')}
          </span>
          <span className="text-note underline underline-offset-4 group-data-[state=closed]:hidden">
            {t('setup.fold')}
          </span>
        </Collapsible.Trigger>
      </div>
      <Collapsible.Content className="grid gap-5">
        <Select
          label={t('setup.rules')}
          value={rules}
          options={book.rules}
          onChange={(next) => state.chooseRules(next)}
        />
        <Select
          label={t('setup.procedure')}
          value={procedure}
          options={book.procedures}
          onChange={state.chooseProcedure}
        />
        <Choice
          label={t('setup.readings')}
          value={setup.readings}
          options={(['eye', 'feed'] as const).map((value) => ({
            value,
            text: t(`setup.readingsFrom.${value}`),
          }))}
          onChange={(readings) => change({ readings })}
        />
        <Choice
          label={t('setup.policy')}
          value={setup.policy ?? 'rules'}
          options={(['rules', 'both', 'primary'] as const).map((value) => ({
            value,
            text: t(`setup.policies.${value}`),
          }))}
          onChange={(policy) => change({ policy: policy === 'rules' ? null : policy })}
        />
        <Choice
          label={t('setup.timekeeper')}
          value={setup.timekeeper}
          options={(['tool', 'driver', 'watcher'] as const).map((value) => ({
            value,
            text: t(`setup.timekeepers.${value}`),
          }))}
          onChange={(timekeeper) => change({ timekeeper })}
        />
        <Calls setup={setup} onChange={(calls) => change({ calls })} />
        <Sound />
      </Collapsible.Content>
    </Collapsible.Root>
  )
}

/** The way in a few words: whose rules, in which order, read how; the rest only where it is not the usual one. */
function useSaid({ setup, rules }: SetupState, procedure: string): string[] {
  const { t } = useTranslation()
  const book = useRulebook()
  const { preferences } = usePreferences()
  const usualCalls = callsFor[setup.purpose]
  return [
    book.rulesTitle(rules),
    book.procedures.find(({ value }) => value === procedure)?.text ?? procedure,
    t(`setup.readingsFrom.${setup.readings}`),
    ...(setup.policy ? [`${t('setup.policy')}: ${t(`setup.policies.${setup.policy}`)}`] : []),
    ...(setup.timekeeper === 'tool'
      ? []
      : [`${t('setup.timekeeper')}: ${t(`setup.timekeepers.${setup.timekeeper}`)}`]),
    ...(setup.calls === usualCalls ? [] : [`${t('setup.calls')}: ${t(`setup.callsModes.${setup.calls}`)}`]),
    ...(preferences.tones === 'off' ? [t('test.muted')] : []),
  ]
}

/** Whether what is said aloud is shown, taken down from memory, or left alone; and in which language it is shown. */
function Calls({ setup, onChange }: { setup: RunSetup; onChange: (calls: RunSetup['calls']) => void }) {
  const { t } = useTranslation()
  const { preferences, change } = usePreferences()
  return (
    <div className="grid gap-3">
      <Choice
        label={t('setup.calls')}
        value={setup.calls}
        options={(['prompt', 'rehearsal', 'off'] as const).map((value) => ({
          value,
          text: t(`setup.callsModes.${value}`),
        }))}
        onChange={onChange}
      />
      {setup.calls === 'off' && setup.purpose !== 'dispatch' && (
        <p className="max-w-md text-note">{t('setup.callsOffTrains')}</p>
      )}
      {setup.calls === 'prompt' && (
        <Choice
          label={t('setup.callsIn')}
          value={preferences.calls}
          options={(['en', 'es', 'both'] as const).map((value) => ({
            value,
            text: t(`setup.callsLanguages.${value}`),
          }))}
          onChange={(calls) => change({ calls })}
        />
      )}
    </div>
  )
}

/** Try the tones before anybody relies on them; a voice only where the device has one of its own. */
function Sound() {
  const { t } = useTranslation()
  const { preferences, change } = usePreferences()
  const [noVoice, setNoVoice] = useState(false)
  const switches = (['on', 'off'] as const).map((value) => ({ value, text: t(`setup.${value}`) }))
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap items-end gap-4">
        <Button onClick={() => void unlockSound().then((on) => on && tryTones())}>
          {t('setup.trySound')}
        </Button>
        <Choice
          label={t('setup.mute')}
          value={preferences.tones}
          options={switches}
          onChange={(tones) => change({ tones })}
        />
        <Choice
          label={t('setup.speech')}
          value={preferences.speech}
          options={switches}
          onChange={(speech) => {
            change({ speech })
            setNoVoice(speech === 'on' && !speak(t('setup.speech'), preferences.language))
          }}
        />
      </div>
      <p className="text-note text-soft">{noVoice ? t('setup.noVoice') : t('setup.soundHint')}</p>
    </div>
  )
}
