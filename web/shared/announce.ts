import { ref } from 'vue'

/** What a screen reader is told: written into the page's live region. */
export const announcement = ref('')

export function announce(text: string): void {
  // The same words twice are told twice.
  announcement.value = announcement.value === text ? `${text}\u00a0` : text
}
