import { useQuery } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { useFigures } from '../../shared/figures/useFigures'
import { Modal, Notice } from '../../shared/ui'

/** The code by which somebody helps on a device of their own. */
export function LetHelp({ inspectionId, onClose }: { inspectionId: string; onClose: () => void }) {
  const { t } = useTranslation()
  const figures = useFigures()
  const { data, error, refetch } = useQuery({
    queryKey: ['inspection', inspectionId, 'code'],
    queryFn: ({ signal }) =>
      need(
        api.POST('/api/inspections/{inspection_id}/join-code', {
          signal,
          params: { path: { inspection_id: inspectionId } },
        }),
      ),
    staleTime: 60_000,
    gcTime: 0,
  })
  return (
    <Modal title={t('inspection.helper')} open onClose={onClose}>
      {data ? (
        <div className="grid gap-2">
          <span className="text-note text-soft">{t('inspection.helperCode')}</span>
          <b data-code className="num text-bar tracking-widest">
            {data.code}
          </b>
          <span>{t('inspection.helperUntil', { time: figures.time(data.until) })}</span>
        </div>
      ) : (
        <Notice error={error} onRetry={() => void refetch()} />
      )}
    </Modal>
  )
}
