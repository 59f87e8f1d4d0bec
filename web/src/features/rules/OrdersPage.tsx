export function OrdersPage() {
  return null
}
