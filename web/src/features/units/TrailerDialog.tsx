import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need, type Schema } from '../../shared/api'
import { useMay } from '../../shared/session'
import { Button, FormError, Modal, TextField } from '../../shared/ui'
import { numbersOf } from '../../shared/figures/numbers'

/** Add a trailer, edit it, or take it out of use. */
export function TrailerDialog({ trailer, onClose }: { trailer?: Schema['TrailerOut']; onClose: () => void }) {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const mayRetire = useMay('retireTrailer')
  const [name, setName] = useState(trailer?.name ?? '')
  const [chambers, setChambers] = useState(trailer?.chambers.join(' ') ?? '')
  const [reservoirs, setReservoirs] = useState(trailer?.reservoirs_in3.join(' ') ?? '')
  const done = () => {
    void queries.invalidateQueries({ queryKey: ['trailers'] })
    void queries.invalidateQueries({ queryKey: ['units'] })
    onClose()
  }
  const save = useMutation({
    mutationFn: async () => {
      const refusal = (field: string) => () => t('units.noNumber', { field })
      const body = {
        name,
        chambers: numbersOf(chambers, refusal(t('units.chambers'))),
        reservoirs_in3: numbersOf(reservoirs, refusal(t('units.reservoirsIn3'))),
      }
      if (!trailer) return need(api.POST('/api/trailers', { body }))
      const params = { path: { trailer_id: trailer.id } }
      return need(
        api.PUT('/api/trailers/{trailer_id}', { params, body: { ...body, version: trailer.version } }),
      )
    },
    onSuccess: done,
  })
  const retire = useMutation({
    mutationFn: (one: Schema['TrailerOut']) =>
      need(
        api.POST('/api/trailers/{trailer_id}/retired', {
          params: { path: { trailer_id: one.id } },
          body: { version: one.version, retired: !one.retired },
        }),
      ),
    onSuccess: done,
  })
  return (
    <Modal title={trailer ? trailer.name : t('units.addTrailer')} open onClose={onClose}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault()
          save.mutate()
        }}
      >
        <TextField
          label={t('units.name')}
          value={name}
          onChange={(e) => setName(e.target.value)}
          required
          autoFocus
        />
        <TextField
          label={t('units.chambers')}
          hint={t('units.chambersHint')}
          value={chambers}
          onChange={(e) => setChambers(e.target.value)}
        />
        <TextField
          label={t('units.reservoirsIn3')}
          hint={t('units.reservoirsHint')}
          value={reservoirs}
          onChange={(e) => setReservoirs(e.target.value)}
        />
        <FormError error={save.error ?? retire.error} />
        <div className="flex flex-wrap gap-3">
          <Button type="submit" tone="air" disabled={save.isPending}>
            {t('app.save')}
          </Button>
          <Button onClick={onClose}>{t('app.cancel')}</Button>
          {trailer && mayRetire && (
            <Button className="ml-auto" onClick={() => retire.mutate(trailer)}>
              {trailer.retired ? t('people.back') : t('people.retire')}
            </Button>
          )}
        </div>
      </form>
    </Modal>
  )
}
