export function WhatIfPage() {
  return null
}
