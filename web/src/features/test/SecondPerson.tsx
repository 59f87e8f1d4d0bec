import { useMutation } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Button } from '../../shared/ui'

/** The code by which somebody else watches this test on a device of their own. */
export function SecondPerson({ runId }: { runId: string }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const path = { run_id: runId }
  const code = useMutation({
    mutationFn: () => need(api.POST('/api/runs/{run_id}/join-code', { params: { path } })),
  })
  return (
    <section className="border-t border-line pt-3">
      {code.data ? (
        <>
          <p className="num text-[2.6rem] leading-none font-bold tracking-[0.12em]" data-join-code>
            {code.data.code.slice(0, 3)} {code.data.code.slice(3)}
          </p>
          <p className="mt-2">{t('test.second.how', { time: figures.time(code.data.until) })}</p>
        </>
      ) : (
        <Button disabled={code.isPending} onClick={() => code.mutate()}>
          {t('test.second.show')}
        </Button>
      )}
      {code.error && (
        <p role="alert" className="mt-2 font-semibold text-clay">
          {code.error.message}
        </p>
      )}
    </section>
  )
}
