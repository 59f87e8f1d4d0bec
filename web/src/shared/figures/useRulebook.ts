import { useQuery } from '@tanstack/react-query'
import { rulebookQuery } from '../api'
import { usePreferences } from '../preferences'

interface Choice {
  value: string
  text: string
}

/** The rule sets and procedures of the rule book as choices, in its own order and the reader's language. */
export function useRulebook(): { rules: Choice[]; procedures: Choice[]; rulesTitle: (id: string) => string } {
  const { data } = useQuery(rulebookQuery())
  const { language } = usePreferences().preferences
  const choices = (titled: { id: string; title: Record<string, string> }[] | undefined): Choice[] =>
    (titled ?? []).map(({ id, title }) => ({ value: id, text: title[language] ?? id }))
  const rules = choices(data?.rules)
  return {
    rules,
    procedures: choices(data?.procedures),
    rulesTitle: (id) => rules.find(({ value }) => value === id)?.text ?? id,
  }
}
