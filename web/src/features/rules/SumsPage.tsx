export function SumsPage() {
  return null
}
