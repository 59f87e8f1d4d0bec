import { useMutation } from '@tanstack/react-query'
import { useState, type FormEvent } from 'react'
import { useNavigate } from 'react-router'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
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
      // one place for a code, whether somebody watches a test or helps in an inspection
      const { run_id, inspection_id, practice_id } = await need(api.POST('/api/join', { body: { code } }))
      if (practice_id) return `/practice/${practice_id}/watch`
      if (!run_id) return `/inspection/${inspection_id}`
      const run = await need(api.GET('/api/runs/{run_id}', { params: { path: { run_id } } }))
      if ('recorder' in device) await device.recorder.takePart(run)
      return `/test/${run_id}`
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
