import { DOMParser, XMLSerializer, type Document, type Element } from '@xmldom/xmldom'

/** Namespaces of ISO 16684-1 (XMP) and of the IPTC Photo Metadata Standard. */
const NAMESPACES = {
  rdf: 'http://www.w3.org/1999/02/22-rdf-syntax-ns#',
  xmp: 'http://ns.adobe.com/xap/1.0/',
  dc: 'http://purl.org/dc/elements/1.1/',
  Iptc4xmpExt: 'http://iptc.org/std/Iptc4xmpExt/2008-02-29/',
  Iptc4xmpCore: 'http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/',
} as const
type Prefix = keyof typeof NAMESPACES

/** A rectangle of the picture that was altered, as shares of its width and height. */
export interface AlteredArea { readonly x: number; readonly y: number; readonly width: number; readonly height: number; readonly name: string }

/** What is added to the description that a picture came with. */
export interface Facts {
  readonly program: string
  readonly modified: string
  /** Address of a term of the IPTC vocabulary of digital source types. */
  readonly sourceType: string
  readonly altered: readonly AlteredArea[]
  /** What older data sets said (IPTC-IIM), taken over where the packet has no value: title, description, creator, rights, subject. */
  readonly older: Readonly<Record<string, string | readonly string[]>>
}

/** Properties that tell where a picture was taken, who is on it, and with whose camera. Local names, in any namespace. */
const PERSONAL = /^(GPS.*|Location.*|City|State|Country|CountryCode|ProvinceState|CountryName|Sublocation|PersonInImage.*|PersonInImageWDetails|RegistryId|CreatorContactInfo|OwnerName|CameraOwnerName|SerialNumber|BodySerialNumber|LensSerialNumber|Regions|Creator(City|Country|EmailWork|PostalCode|Address).*)$/

/** The element around it is optional (ISO 16684-1, 7.3.3). */
const EMPTY = `<rdf:RDF xmlns:rdf="${NAMESPACES.rdf}"><rdf:Description rdf:about=""/></rdf:RDF>`

/**
 * The description of a picture with what was done to it.
 *
 * @param packet    XMP as the picture came with it; null for none. What cannot be read is left out.
 * @param personal  Whether place, persons and serial numbers stay.
 */
export function extendXmp(packet: string | null, facts: Facts, personal: boolean): string {
  const document = parsePacket(packet) ?? parsePacket(EMPTY)!
  const root = document.getElementsByTagNameNS(NAMESPACES.rdf, 'RDF')[0]!
  if (!personal) removePersonal(root)
  let description = root.getElementsByTagNameNS(NAMESPACES.rdf, 'Description')[0]
  if (!description) {
    description = make(document, 'rdf', 'Description')
    description.setAttributeNS(NAMESPACES.rdf, 'rdf:about', '')
    root.appendChild(description)
  }
  for (const [name, value] of Object.entries(facts.older)) if (!find(root, 'dc', name)) description.appendChild(dublinCore(document, name, value))
  setText(document, root, description, 'xmp', 'CreatorTool', facts.program)
  setText(document, root, description, 'xmp', 'ModifyDate', facts.modified)
  setText(document, root, description, 'xmp', 'MetadataDate', facts.modified)
  setText(document, root, description, 'Iptc4xmpExt', 'DigitalSourceType', facts.sourceType)
  if (facts.altered.length > 0) description.appendChild(imageRegions(document, facts.altered))
  return `<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n${new XMLSerializer().serializeToString(document.documentElement!)}\n<?xpacket end="w"?>`
}

function parsePacket(packet: string | null): Document | null {
  if (!packet) return null
  try {
    const body = packet.replace(/<\?xpacket[^>]*\?>/g, '').replaceAll('\0', '').trim()
    const document = new DOMParser({ onError: (level, message) => {
      if (level !== 'warning') throw new Error(message)
    } }).parseFromString(body, 'text/xml')
    return document.getElementsByTagNameNS(NAMESPACES.rdf, 'RDF').length > 0 ? document : null
  } catch {
    return null
  }
}

function removePersonal(root: Element): void {
  for (const element of Array.from(root.getElementsByTagName('*'))) {
    for (const attribute of Array.from(element.attributes)) if (PERSONAL.test(attribute.localName ?? '')) element.removeAttributeNode(attribute)
    if (PERSONAL.test(element.localName ?? '') && element.parentNode) element.parentNode.removeChild(element)
  }
}

const make = (document: Document, prefix: Prefix, name: string): Element => document.createElementNS(NAMESPACES[prefix], `${prefix}:${name}`)

function add(parent: Element, child: Element): Element {
  parent.appendChild(child)
  return child
}

function find(root: Element, prefix: Prefix, name: string): Element | null {
  return root.getElementsByTagNameNS(NAMESPACES[prefix], name)[0] ?? null
}

/** Set a simple property, whether it stands as an element or, as XMP allows, as an attribute. */
function setText(document: Document, root: Element, description: Element, prefix: Prefix, name: string, value: string): void {
  for (const element of Array.from(root.getElementsByTagNameNS(NAMESPACES.rdf, 'Description'))) element.removeAttributeNS(NAMESPACES[prefix], name)
  const element = find(root, prefix, name) ?? add(description, make(document, prefix, name))
  element.textContent = value
}

/** Properties of Dublin Core by their forms in XMP: alternatives of languages, ordered lists, bags. */
function dublinCore(document: Document, name: string, value: string | readonly string[]): Element {
  const property = make(document, 'dc', name)
  const form = name === 'creator' ? 'Seq' : name === 'subject' ? 'Bag' : 'Alt'
  const list = add(property, make(document, 'rdf', form))
  for (const text of typeof value === 'string' ? [value] : value) {
    const item = add(list, make(document, 'rdf', 'li'))
    if (form === 'Alt') item.setAttribute('xml:lang', 'x-default')
    item.textContent = text
  }
  return property
}

/** Image regions of the IPTC Photo Metadata Standard 2021.1 (11.3): rectangles in shares of the picture. */
function imageRegions(document: Document, altered: readonly AlteredArea[]): Element {
  const property = make(document, 'Iptc4xmpExt', 'ImageRegion')
  const bag = add(property, make(document, 'rdf', 'Bag'))
  for (const { x, y, width, height, name } of altered) {
    const item = add(bag, make(document, 'rdf', 'li'))
    item.setAttributeNS(NAMESPACES.rdf, 'rdf:parseType', 'Resource')
    const boundary = add(item, make(document, 'Iptc4xmpExt', 'RegionBoundary'))
    boundary.setAttributeNS(NAMESPACES.rdf, 'rdf:parseType', 'Resource')
    for (const [term, value] of Object.entries({ rbShape: 'rectangle', rbUnit: 'relative', rbX: share(x), rbY: share(y), rbW: share(width), rbH: share(height) })) add(boundary, make(document, 'Iptc4xmpExt', term)).textContent = value
    const title = add(add(add(item, make(document, 'Iptc4xmpExt', 'Name')), make(document, 'rdf', 'Alt')), make(document, 'rdf', 'li'))
    title.setAttribute('xml:lang', 'x-default')
    title.textContent = name
  }
  return property
}

const share = (value: number) => Math.max(0, Math.min(1, value)).toFixed(5)
