import { readFileSync } from 'node:fs'
import PDFDocument from 'pdfkit'
import { fontFile } from '../caption.js'

/** Points of an A4 page and its margins. */
export const PAGE = { width: 595.28, height: 841.89, margin: 42 }
export const INNER = PAGE.width - 2 * PAGE.margin
const FONTS = { regular: 400, bold: 600 } as const
const SOFT = '#5c5c5c'
const INK = '#1d1d1d'
const RULE = '#cccccc'

/** What pictures of a page must have. */
export interface Placed { readonly bytes: Buffer; readonly width: number; readonly height: number }

/** A column of a table. */
export interface Column { readonly share: number; readonly right?: boolean; readonly soft?: boolean }

/** Pages of A4 that are filled from top to bottom in the look of the product. */
export class Pages {
  readonly pdf: PDFKit.PDFDocument
  private readonly chunks: Buffer[] = []

  constructor(title: string, author: string, private readonly foot: string) {
    this.pdf = new PDFDocument({ size: 'A4', margins: { top: PAGE.margin, bottom: PAGE.margin + 14, left: PAGE.margin, right: PAGE.margin }, bufferPages: true, lang: 'en', displayTitle: true, info: { Title: title, Author: author, Creator: author } })
    this.pdf.on('data', (chunk: Buffer) => this.chunks.push(chunk))
    for (const [name, weight] of Object.entries(FONTS)) this.pdf.registerFont(name, readFileSync(fontFile(weight)))
    this.pdf.font('regular').fontSize(10).fillColor(INK)
  }

  get room(): number {
    return PAGE.height - PAGE.margin - 14 - this.pdf.y
  }

  /** Begin a page where less than so much is left of this one. */
  need(points: number): void {
    if (this.room < points) this.pdf.addPage()
  }

  title(text: string, below: string): void {
    this.pdf.font('bold').fontSize(20).fillColor(INK).text(text)
    this.pdf.font('regular').fontSize(10).fillColor(SOFT).text(below)
    this.pdf.fillColor(INK).moveDown(0.6)
  }

  heading(text: string, needed = 60): void {
    this.need(needed)
    this.pdf.moveDown(0.8)
    this.pdf.moveTo(PAGE.margin, this.pdf.y).lineTo(PAGE.width - PAGE.margin, this.pdf.y).lineWidth(0.5).strokeColor(RULE).stroke()
    this.pdf.moveDown(0.5).font('bold').fontSize(13).text(text, PAGE.margin).font('regular').fontSize(10).moveDown(0.3)
  }

  paragraph(text: string): void {
    this.pdf.font('regular').fontSize(10).fillColor(INK).text(text, PAGE.margin, this.pdf.y, { width: INNER }).moveDown(0.25)
  }

  /** Pictures beside one another, of equal height, as wide as the page together. */
  row(pictures: readonly (Placed & { caption: string })[], most = 300): void {
    const gap = 10
    const sum = pictures.reduce((total, { width, height }) => total + width / height, 0)
    const height = Math.min(most, (INNER - gap * (pictures.length - 1)) / sum)
    this.need(height + 20)
    const { y } = this.pdf
    let x = PAGE.margin
    for (const { bytes, width, height: rows, caption } of pictures) {
      const shown = (height * width) / rows
      this.pdf.image(bytes, x, y, { width: shown, height })
      if (caption) this.pdf.fontSize(8.5).fillColor(SOFT).text(caption, x, y + height + 2, { width: Math.max(shown, 60), lineBreak: false })
      x += shown + gap
    }
    this.pdf.fillColor(INK).fontSize(10)
    this.pdf.y = y + height + 18
    this.pdf.x = PAGE.margin
  }

  /** Pictures in columns of equal width, each with lines under it. */
  grid(pictures: readonly (Placed & { lines: readonly string[] })[], across: number, most: number): void {
    const gap = 14
    const column = (INNER - gap * (across - 1)) / across
    this.need(most + 34)
    const { y } = this.pdf
    pictures.forEach(({ bytes, width, height, lines }, i) => {
      const scale = Math.min(column / width, most / height)
      const x = PAGE.margin + i * (column + gap)
      this.pdf.image(bytes, x, y + most - height * scale, { width: width * scale, height: height * scale })
      lines.forEach((line, k) => this.pdf.font(k === 0 ? 'bold' : 'regular').fontSize(8.5).fillColor(k === 0 ? INK : SOFT).text(line, x, y + most + 3 + 11 * k, { width: column, height: 11, ellipsis: true, lineBreak: false }))
    })
    this.pdf.fillColor(INK).font('regular').fontSize(10)
    this.pdf.y = y + most + 36
    this.pdf.x = PAGE.margin
  }

  /** Rows of a table; a row that does not fit goes to the next page whole. */
  table(columns: readonly Column[], rows: readonly (readonly string[])[], header?: readonly string[]): void {
    const draw = (cells: readonly string[], bold: boolean) => {
      this.pdf.font(bold ? 'bold' : 'regular').fontSize(9)
      const widths = columns.map(({ share }) => share * INNER - 8)
      const height = Math.max(...cells.map((cell, i) => this.pdf.heightOfString(cell, { width: widths[i]! })))
      this.need(height + 6)
      const { y } = this.pdf
      let x = PAGE.margin
      cells.forEach((cell, i) => {
        this.pdf.fillColor(columns[i]!.soft ? SOFT : INK).text(cell, x, y + 2, { width: widths[i]!, align: columns[i]!.right ? 'right' : 'left' })
        x += columns[i]!.share * INNER
      })
      this.pdf.y = y + height + 5
      this.pdf.moveTo(PAGE.margin, this.pdf.y - 1).lineTo(PAGE.width - PAGE.margin, this.pdf.y - 1).lineWidth(0.3).strokeColor('#e2e2e2').stroke()
    }
    if (header) draw(header, true)
    for (const row of rows) draw(row, false)
    this.pdf.font('regular').fontSize(10).fillColor(INK)
    this.pdf.x = PAGE.margin
  }

  /** Number the pages and finish. */
  end(): Promise<Uint8Array> {
    const done = new Promise<Uint8Array>((resolve) => this.pdf.on('end', () => resolve(new Uint8Array(Buffer.concat(this.chunks)))))
    const { count } = this.pdf.bufferedPageRange()
    for (let i = 0; i < count; i++) {
      this.pdf.switchToPage(i)
      // Below the margin the library would begin a page for it.
      this.pdf.page.margins.bottom = 0
      this.pdf.font('regular').fontSize(8).fillColor(SOFT).text(`${this.foot} · page ${i + 1} of ${count}`, PAGE.margin, PAGE.height - PAGE.margin + 2, { width: INNER, align: 'center', lineBreak: false })
    }
    this.pdf.end()
    return done
  }
}
