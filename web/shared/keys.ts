import { useEventListener } from '@vueuse/core'
import type { Ref } from 'vue'

/** Where single keys act carries this attribute: the picture and the lists that are worked through. */
export const KEYS_HERE = 'data-keys'

/** Whether keys are letters of a text here. */
export const isTyping = (target: HTMLElement) => target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName)

/** Whether a key belongs to the picture and the lists: nothing else has the focus. */
export function isForWork(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return !isTyping(target) && (target === document.body || target.closest(`[${KEYS_HERE}]`) !== null)
}

/**
 * Keep the focus where the work is: it goes home after something was clicked with a pointer, and when what had it is gone
 * or became disabled. Who works by keys keeps it where it is.
 *
 * @param root  The page.
 * @param home  What has the focus otherwise.
 */
export function useKeptFocus(root: Ref<HTMLElement | undefined>, home: () => HTMLElement | null | undefined): { goHome(): void } {
  const goHome = () => home()?.focus({ preventScroll: true })
  const keepsFocus = (element: Element | null) => element !== null && (isTyping(element as HTMLElement) || element.closest('.el-popper, .el-dialog, .el-select, .el-dropdown') !== null)
  useEventListener(root, 'click', (event: MouseEvent) => {
    // Keys make clicks too, of which none is counted.
    if (event.detail > 0 && !keepsFocus(event.target as Element) && !keepsFocus(document.activeElement)) goHome()
  })
  useEventListener(window, 'pointerup', () => {
    if (document.activeElement?.getAttribute('role') === 'slider' && root.value?.contains(document.activeElement)) goHome()
  })
  useEventListener(root, 'focusout', () => {
    setTimeout(() => {
      if (document.activeElement === document.body && document.hasFocus()) goHome()
    }, 60)
  })
  return { goHome }
}
