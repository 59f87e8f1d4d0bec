import { useMutation } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError } from '../../shared/ui'

/** The token by which a gauge box, or the stand-in, sends this unit's pressures. */
export function LiveFeed({ unitId }: { unitId: string }) {
  const { t } = useTranslation()
  const may = useMay('makeFeedToken')
  const token = useMutation({
    mutationFn: () =>
      need(api.POST('/api/units/{unit_id}/feed-token', { params: { path: { unit_id: unitId } } })),
  })
  if (!may) return null
  return (
    <section>
      <h2 className="mb-2 text-lead">{t('units.feed')}</h2>
      <p className="mb-3">{t('units.feedAbout')}</p>
      {token.data ? (
        <>
          <code className="block border-[1.5px] border-ink bg-sheet p-3 break-all">{token.data.token}</code>
          <p className="mt-2 text-note text-soft">{t('units.feedOnce')}</p>
        </>
      ) : (
        <Button disabled={token.isPending} onClick={() => token.mutate()}>
          {t('units.feedToken')}
        </Button>
      )}
      <FormError error={token.error} />
    </section>
  )
}
