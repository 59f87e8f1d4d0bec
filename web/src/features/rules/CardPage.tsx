export function CardPage() {
  return null
}
