/**
 * Text as it may be stored and shown: no control characters, no halves of surrogate pairs, no white space at its ends.
 *
 * A database refuses U+0000, and half a pair is no Unicode (The Unicode Standard, D92).
 *
 * @param longest  Characters that are kept; 500 by default.
 */
export function cleanText(text: string, longest = 500): string {
  return [...text.slice(0, 4 * longest)]
    .filter((character) => {
      const code = character.codePointAt(0)!
      return code >= 0x20 && (code < 0x7f || code > 0x9f) && (code < 0xd800 || code > 0xdfff)
    })
    .slice(0, longest).join('').trim()
}

/** Whether text can be stored as it is: no U+0000 and no half of a surrogate pair. */
export function isStorable(text: string): boolean {
  for (let i = 0; i < text.length; i++) {
    const code = text.charCodeAt(i)
    if (code === 0) return false
    if (code >= 0xd800 && code <= 0xdbff && (text.charCodeAt(i + 1) & 0xfc00) === 0xdc00) i++
    else if (code >= 0xd800 && code <= 0xdfff) return false
  }
  return true
}
