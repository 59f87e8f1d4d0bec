import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from '../../shared/i18n/useTranslation'
import { api, need } from '../../shared/api'
import { Button, FormError } from '../../shared/ui'
import { invitationsQuery } from './core'

/** Classes that whoever is here is asked into: nothing of theirs is seen before they agree. */
export function Invitations() {
  const { t } = useTranslation()
  const queries = useQueryClient()
  const asked = useQuery(invitationsQuery).data ?? []
  const answer = useMutation({
    mutationFn: ({ class_id, agree }: { class_id: string; agree: boolean }) =>
      need(
        api.POST('/api/learning/invitations/{class_id}', {
          params: { path: { class_id } },
          body: { agree },
        }),
      ),
    onSettled: () =>
      Promise.all(['invitations', 'progress'].map((list) => queries.invalidateQueries({ queryKey: [list] }))),
  })
  return (
    <>
      {asked.map(({ class_id, class_name, trainer }) => (
        <section
          key={class_id}
          data-invitation={class_id}
          className="mt-4 border-l-8 border-amber bg-sheet p-3"
        >
          <h2 className="font-bold">{t('learn.invitation.title', { trainer, name: class_name })}</h2>
          <p className="mt-1 max-w-prose">{t('learn.invitation.sees', { trainer })}</p>
          <div className="mt-2 flex flex-wrap gap-3">
            <Button onClick={() => answer.mutate({ class_id, agree: true })} disabled={answer.isPending}>
              {t('learn.invitation.join')}
            </Button>
            <Button
              tone="plain"
              onClick={() => answer.mutate({ class_id, agree: false })}
              disabled={answer.isPending}
            >
              {t('learn.invitation.decline')}
            </Button>
          </div>
        </section>
      ))}
      <FormError error={answer.error} />
    </>
  )
}
