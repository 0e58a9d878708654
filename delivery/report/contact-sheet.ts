import { PROGRAM } from '../program.js'
import { Pages, type Placed } from './page.js'

/** A picture on the contact sheet. */
export interface SheetPicture { readonly name: string; readonly jpeg: Buffer; readonly width: number; readonly height: number; readonly words: string }

/** Pictures in a row of a page, and how high they are at most, in points. */
const [ACROSS, MOST_HEIGHT] = [3, 130]

/** The pictures of a job as PDF of A4 pages. */
export function contactSheetPdf({ title, client }: { readonly title: string; readonly client: string }, pictures: readonly SheetPicture[]): Promise<Uint8Array> {
  const pages = new Pages(`${title}: contact sheet`, PROGRAM, title)
  pages.title(title, [client && `for ${client}`, `${pictures.length} pictures`, PROGRAM].filter(Boolean).join(' · '))
  for (let i = 0; i < pictures.length; i += ACROSS) {
    pages.grid(pictures.slice(i, i + ACROSS).map(({ jpeg, width, height, name, words }): Placed & { lines: string[] } => ({ bytes: jpeg, width, height, lines: [name, words] })), ACROSS, MOST_HEIGHT)
  }
  return pages.end()
}
