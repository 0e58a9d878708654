import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { makeRandom } from '../../core/random.js'
import { makeRaster } from '../../core/raster/raster.js'
import { encodePicture } from '../../codec/write.js'
import { arrival, upload } from '../../demo/load.js'
import { startServices, type Services } from '../../scripts/services.js'

const home = mkdtempSync(join(tmpdir(), 'fennip-full-'))
const storage = join(home, 'small-disk')
mkdirSync(storage)
// A disk of 6 MB; only root may make one.
const hasSmallDisk = spawnSync('mount', ['-t', 'tmpfs', '-o', 'size=6m', 'tmpfs', storage]).status === 0

describe.skipIf(!hasSmallDisk)('a full disk', () => {
  let services: Services
  let job: string
  beforeAll(async () => {
    services = await startServices({ home, logLevel: 'silent', environment: { FENNIP_STORAGE: storage } })
    const made = await fetch(`${services.address}/api/jobs`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ title: 'Small disk' }) })
    job = ((await made.json()) as { id: string }).id
  })
  afterAll(async () => {
    await services.stop()
    spawnSync('umount', [storage])
    await services.remove()
  })

  async function noise(width: number, height: number): Promise<Uint8Array> {
    const raster = makeRaster(width, height, 3, 16)
    const random = makeRandom(6)
    raster.data.forEach((_value, i) => (raster.data[i] = random.integer() & 65535))
    return encodePicture(raster, null, { icc: null, exif: null, resolutionPerInch: null }, { format: 'png', depth: 16, quality: 90 })
  }
  const pictures = async () => ((await (await fetch(`${services.address}/api/jobs/${job}`)).json()) as { list: unknown[] }).list.length

  it('is said plainly, keeps nothing half, and the next file that fits is taken in', async () => {
    // The upload and its copy do not fit together.
    const refused = await upload(services.address, job, 'wide.png', await noise(900, 700))
    expect(refused.status).toBe(507)
    expect(refused.headers.get('content-type')).toContain('application/problem+json')
    expect(await refused.text()).toContain('disk is full')
    expect(await pictures()).toBe(0)
    expect(readdirSync(join(storage, 'uploads'))).toEqual([])
    expect(readdirSync(join(storage, 'originals'), { recursive: true }).filter((name) => String(name).length > 10)).toEqual([])
    const taken = await arrival(services.address, await upload(services.address, job, 'small.png', await noise(200, 150)))
    expect(taken.status).toBe(200)
    expect(await pictures()).toBe(1)
  })

  it('in the middle of an upload is said plainly; what has come is kept, and the upload goes on when there is room', async () => {
    const bytes = await noise(300, 250)
    const headers = { 'tus-resumable': '1.0.0' }
    const begun = await fetch(`${services.address}/api/uploads`, { method: 'POST', headers: { ...headers, 'upload-length': String(bytes.length), 'upload-metadata': `filename ${btoa('later.png')},job ${btoa(job)}` } })
    const place = new URL(begun.headers.get('location')!, services.address)
    const send = (from: number, to: number) => fetch(place, { method: 'PATCH', headers: { ...headers, 'upload-offset': String(from), 'content-type': 'application/offset+octet-stream' }, body: bytes.slice(from, to) as BodyInit })
    expect((await send(0, 1000)).status).toBe(204)
    const filler = join(storage, 'filler')
    spawnSync('dd', ['if=/dev/zero', `of=${filler}`, 'bs=64k'])
    const refused = await send(1000, bytes.length)
    expect(refused.status).toBe(507)
    expect(refused.headers.get('content-type')).toContain('application/problem+json')
    expect(await refused.text()).toContain('What has come is kept')
    rmSync(filler)
    const at = Number((await fetch(place, { method: 'HEAD', headers })).headers.get('upload-offset'))
    expect(at).toBeGreaterThanOrEqual(1000)
    expect((await arrival(services.address, await send(at, bytes.length))).status).toBe(200)
    expect(await pictures()).toBe(2)
  })
})
