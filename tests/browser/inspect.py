"""What can be told about a screen by looking at it: axe-core's findings, small controls, text that is cut off."""

from __future__ import annotations

from playwright.sync_api import Page

from tests.conftest import ROOT

AXE = ROOT / "web" / "node_modules" / "axe-core" / "axe.min.js"
LEAST_TOUCH_PX = 48
"""48 CSS px is what the published touch-target guidance of mobile platforms asks for (from memory)."""

_RUN_AXE = """() => {
  window.found = undefined
  axe.run({ resultTypes: ['violations'] }).then(({ violations }) => {
    window.found = violations.map(({ id, nodes }) =>
      `${id}: ${nodes.map(({ html }) => html.slice(0, 120)).join(' | ')}`)
  })
}"""
_SMALL = """(least) => [...document.querySelectorAll('button, a, input, select, [role=slider]')]
  .filter((control) => control.checkVisibility() && !control.closest('[aria-hidden=true], .sr-only'))
  .map((control) => control.matches('[type=checkbox], [type=radio]') ? control.closest('label') ?? control : control)
  .map((control) => [control, control.getBoundingClientRect()])
  .filter(([, { height, width }]) => width > 1 && (height < least - 0.5 || width < least - 0.5))
  .map(([control, { height, width }]) =>
    `${control.outerHTML.slice(0, 90)} ${Math.round(width)}x${Math.round(height)}`)"""
_CUT_OFF = """() => {
  const words = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT)
  const found = []
  while (words.nextNode()) {
    const text = words.currentNode
    const element = text.parentElement
    if (!text.data.trim() || !element.checkVisibility()) continue
    if (element.closest('[class*=sr-only], [aria-hidden=true], svg, [role=slider], [href="#page"]')) continue
    const range = document.createRange()
    range.selectNodeContents(text)
    const { left, right } = range.getBoundingClientRect()
    // what is scrolled sideways on purpose can be reached by keyboard
    const scrolled = element.closest('[tabindex="0"]')
    if (scrolled && getComputedStyle(scrolled).overflowX === 'auto') continue
    let [low, high] = [0, innerWidth]
    for (let box = element; box !== document.body; box = box.parentElement) {
      if (getComputedStyle(box).overflowX === 'visible') continue
      const around = box.getBoundingClientRect()
      ;[low, high] = [Math.max(low, around.left), Math.min(high, around.right)]
    }
    if (left < low - 0.5 || right > high + 0.5) found.push(text.data.slice(0, 80))
  }
  return found
}"""


def load_axe(page: Page) -> None:
    """Bring axe-core onto the page."""
    page.evaluate(AXE.read_text())


def axe_findings(page: Page) -> list[str]:
    """Every violation that axe-core finds in the page as it is now."""
    # turning the clock of a page that has a real one would give it one that stands at 1970
    turned_by_hand = not page.evaluate("String(Date.now).includes('[native code]')")
    page.evaluate(_RUN_AXE)
    for _ in range(400):
        if (found := page.evaluate("window.found")) is not None:
            return found
        if turned_by_hand:
            page.clock.run_for(20)
        else:
            page.wait_for_timeout(20)
    raise AssertionError("axe-core never came to an end")


def small_controls(page: Page) -> list[str]:
    """Controls that a thumb would miss."""
    return page.evaluate(_SMALL, LEAST_TOUCH_PX)


def cut_off(page: Page) -> list[str]:
    """Text that runs out of its box or out of the screen."""
    return page.evaluate(_CUT_OFF)
