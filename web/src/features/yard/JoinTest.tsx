import { useMutation } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { api, ApiError, need } from '../../shared/api'
import { useRecorder } from '../../run'
import { Button } from '../../shared/ui'

/** Watch somebody else's test on this device, by the code that their screen shows. */
export function JoinTest() {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const device = useRecorder()
  const [code, setCode] = useState('')
  const join = useMutation({
    mutationFn: async () => {
      // one place for a code, whether somebody watches a test or helps in a round
      try {
        const run = await need(api.POST('/api/runs/join', { body: { code } }))
        if ('recorder' in device) await device.recorder.takePart(run)
        return `/test/${run.id}`
      } catch (error) {
        if (!(error instanceof ApiError) || error.code !== 'join_code_unknown') throw error
        return `/round/${(await need(api.POST('/api/rounds/join', { body: { code } }))).id}`
      }
    },
    onSuccess: (path) => void navigate(path),
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (code.trim()) join.mutate()
  }
  return (
    <form onSubmit={submit} className="ml-auto flex flex-wrap items-center justify-end gap-2">
      {join.error && (
        <p role="alert" className="basis-full text-right font-semibold text-clay">
          {join.error.message}
        </p>
      )}
      <input
        value={code}
        aria-label={t('yard.joinCode')}
        placeholder={t('yard.joinCode')}
        maxLength={12}
        autoCapitalize="characters"
        autoComplete="off"
        spellCheck={false}
        onChange={(event) => setCode(event.target.value)}
        className="num min-h-touch w-36 border-[1.5px] border-ink bg-sheet px-3 uppercase placeholder:normal-case placeholder:text-soft"
      />
      <Button type="submit" disabled={!code.trim() || join.isPending}>
        {t('yard.join')}
      </Button>
    </form>
  )
}
