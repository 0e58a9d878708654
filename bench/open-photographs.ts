import { execFileSync } from 'node:child_process'
import { existsSync, mkdirSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import sharp, { type Sharp } from 'sharp'
import type { IntegerRaster } from '@fennip/core/raster/raster.js'
import { homeFolder } from '../server/settings.js'

const NAMES = ['chelsea.png', 'coffee.png', 'motorcycle_left.png', 'rocket.jpg', 'brick.png', 'gravel.png', 'grass.png']

export interface Photograph {
  readonly name: string
  readonly raster: IntegerRaster
}

/**
 * Photographs with open licences from Debian's package python3-skimage (its copyright file names each): a cat, a cup,
 * a motorcycle, a rocket, brick, gravel, grass. What Fennip has learned is checked on them.
 */
export const openPhotographs = () => photographsOf('python3-skimage', 'usr/lib/python3/dist-packages/skimage/data', NAMES)

/** Of the same package, those that show no people either and are large enough. */
const OTHERS = ['clock_motion.png', 'coins.png', 'hubble_deep_field.jpg', 'ihc.png', 'moon.png', 'page.png', 'retina.jpg']

/** Further ones that Fennip has not learned from, nor is checked on in other ways: a clock, coins, galaxies, cells, the moon, a page, the ground of an eye; of python3-sklearn a temple and a flower. */
export async function unseenPhotographs(): Promise<Photograph[]> {
  return [
    ...(await photographsOf('python3-skimage', 'usr/lib/python3/dist-packages/skimage/data', OTHERS)),
    ...(await photographsOf('python3-sklearn', 'usr/lib/python3/dist-packages/sklearn/datasets/images', ['china.jpg', 'flower.jpg'])),
  ]
}

/** Of Debian's package plasma-workspace-wallpapers, those that are photographs. */
const PLACES = ['BytheWater', 'ColdRipple', 'ColorfulCups', 'DarkestHour', 'EveningGlow', 'FallenLeaf', 'Kite', 'OneStandsOut', 'Path', 'summer_1am'].map((name) => `${name}/contents/images/2560x1600.jpg`)

/** Of the examples in Debian's package opencv-doc, those that show no people: what is printed, painted, soldered and built. */
const EXAMPLES = ['aero1.jpg', 'aloeL.jpg', 'apple.jpg', 'board.jpg', 'box.png', 'box_in_scene.png', 'building.jpg', 'butterfly.jpg', 'cards.png', 'ela_original.jpg', 'fruits.jpg', 'graf1.png', 'home.jpg', 'imageTextR.png', 'left.jpg', 'leuvenA.jpg', 'licenseplate_motion.jpg', 'notes.png', 'rubberwhale1.png', 'smarties.png', 'squirrel_cls.jpg', 'starry_night.jpg', 'stuff.jpg', 'sudoku.png', 'text_defocus.jpg']

/**
 * Photographs with open licences from Debian's packages mate-backgrounds, lomiri-wallpapers-16.04, lomiri-wallpapers-20.04,
 * plasma-workspace-wallpapers and opencv-doc (their copyright files name each), brought down in size, since pixels of a camera are sharper
 * than theirs: leaves, blades of grass, petals, boards, a road; cables, a room, lamps, a clock, hills; bark, boats on pebbles,
 * cups, moss, a wood. Those of opencv-doc as they are, since they are small: streets, a town from above, a circuit board, text,
 * fruit, toys, a painting. Fennip learns from them what is no flaw.
 *
 * @param size  Share of the size that they are brought down to anyway: smaller, what is in them is denser; those that are small are left out then.
 */
export async function furtherPhotographs(size = 1): Promise<Photograph[]> {
  const nature = await photographsOf('mate-backgrounds', 'usr/share/backgrounds/mate/nature', 'all', 1280 * size)
  const things = await photographsOf('lomiri-wallpapers-16.04', 'usr/share/backgrounds', 'all', 900 * size)
  const bark = await photographsOf('lomiri-wallpapers-20.04', 'usr/share/backgrounds', ['Kleiber_by_Lukas_Baubkus.jpg'], 1280 * size)
  const places = await photographsOf('plasma-workspace-wallpapers', 'usr/share/wallpapers', PLACES, 1280 * size)
  const examples = size < 1 ? [] : await photographsOf('opencv-doc', 'usr/share/doc/opencv-doc/examples/data', EXAMPLES)
  return [...nature, ...things.map(({ raster }, i) => ({ name: `things ${i}`, raster })), ...bark, ...places.map(({ name, raster }) => ({ name: name.split('/')[0]!, raster })), ...examples]
}

/** Of Debian's package supertuxkart-data, those that are photographs of walls, grounds, boards and bark. */
const WALLS = ['HortonRockWall.jpg', 'HortonRockWall2.jpg', 'Paving_stones_2.jpg', 'black_rockMountain.jpg', 'blackrock.jpg', 'bow_tile.jpg', 'canyon.jpg', 'city_ground.jpg', 'city_rock.jpg', 'cracked-earth-texture.jpg', 'crate1_diffuse.jpg', 'crate2_diffuse.jpg', 'dirt.jpg', 'grass2.jpg', 'grass3.jpg', 'grass_dark.jpg', 'hacienda_ground.jpg', 'pyramidwall.jpg', 'racetrack_asphalt.jpg', 'racetrack_grass.jpg', 'ribbed_steel.jpg', 'rock.jpg', 'rock1.jpg', 'rockMountain.jpg', 'rock_mountain.jpg', 'rockwall.jpg', 'sand2.jpg', 'snowrock.jpg', 'stk_generic_bedRock_a.png', 'stk_generic_brickA.png', 'stk_generic_dirtA.png', 'stk_generic_dirtGrassA.png', 'stk_generic_grassB.png', 'stk_generic_greyWall_a.png', 'stk_generic_hexaBasaltRoad_a.png', 'stk_generic_oldbricks_a.png', 'stk_generic_paper_a.png', 'stk_generic_rockStrata_a.png', 'stk_generic_rockStrata_b.png', 'stk_generic_snow_a.png', 'stk_generic_thatch_a.png', 'stk_generic_wallRock_a.png', 'stk_generic_wickerA.png', 'stk_greyMetal_a.png', 'stk_karstRock_a.png', 'stk_metaloverlap_a.png', 'stklib_entranceGuardianMale_a.png', 'stktex_generic_WoodA.png', 'stktex_generic_WoodB.png', 'stktex_generic_WoodC.png', 'stktex_generic_WoodE.png', 'stktex_generic_aztekWall_a.png', 'stktex_generic_bambooA.png', 'stktex_generic_chocolateChunk_a.png', 'stktex_generic_concreteA.png', 'stktex_generic_marbleA.png', 'stktex_generic_rockA.png', 'stktex_generic_waterConcreteA.png', 'stktex_palmTreeBark_a.png', 'stktex_treeBark_a.png', 'stonetex.jpg', 'tarmac.jpg', 'woodBridge.jpg', 'wood_planks1.jpg', 'yellow_dirt.jpg']

/** Of Debian's package torcs-data, the same: roads, brick, sand, a shed, a cliff. */
const ROADS = ['dirt/dirt-3/cabin', 'dirt/dirt-3/newdirt', 'dirt/dirt-3/newdirt2', 'dirt/dirt-3/pit-walls', 'dirt/dirt-3/stone1', 'road/brondehach/GARAGE01', 'road/brondehach/PALAZB03', 'road/brondehach/PDKKA07', 'road/brondehach/TIREBLAK', 'road/corkscrew/gravel', 'road/corkscrew/sandgrvl', 'road/e-track-2/house22facade', 'road/e-track-6/cliff2', 'road/forza/GRAS2B', 'road/ole-road-1/concrete-patch', 'road/ole-road-1/cracked-asphalt', 'road/ole-road-1/ole-concrete-side', 'road/ole-road-1/patched-asphalt-1', 'road/ruudskogen/road01', 'road/ruudskogen/sand01', 'road/wheel-2/swall2'].map((name) => `${name}.png`)

/**
 * Photographs of walls and grounds from edge to edge, with open licences, from Debian's packages supertuxkart-data and torcs-data
 * (their copyright files name each). What is learned from pictures of things alone takes what runs across brick or gravel for
 * more brick and gravel, and a pebble for a speck. Of every second, from the first, Fennip has learned what is no speck; from
 * all of them what is no line.
 */
export async function groundPhotographs(): Promise<Photograph[]> {
  const walls = await photographsOf('supertuxkart-data', 'usr/share/games/supertuxkart/data/textures', WALLS, 720)
  const roads = await photographsOf('torcs-data', 'usr/share/games/torcs/tracks', ROADS, 720)
  return [...walls, ...roads.map(({ name, raster }) => ({ name: name.split('/').at(-1)!, raster }))]
}

/** Photographs of walls and grounds, or of animals and buildings: every second of them, from the first, and the others. */
export const halvesOf = (all: readonly Photograph[]): { readonly learnedFrom: readonly Photograph[]; readonly unseen: readonly Photograph[] } => ({ learnedFrom: all.filter((_photograph, i) => i % 2 === 0), unseen: all.filter((_photograph, i) => i % 2 === 1) })

/** Collections in Debian's package gcompris-qt-data; what is narrower than so many pixels in them is a sign and no photograph. */
const ANIMALS_AND_BUILDINGS = ['explore_farm_animals', 'explore_world_animals', 'erase', 'explore_monuments']
const SIGHTS = ['details']
const LEAST_WIDTH = 640

/**
 * Photographs of animals and of buildings with open licences from Debian's package gcompris-qt-data (its copyright file names each).
 * Of every second, from the first, Fennip has learned what is no speck; from none has it learned what is no line: whiskers before
 * fur and masts before the sky are the hardest of what is no scratch.
 */
export const animalAndBuildingPhotographs = () => collected(ANIMALS_AND_BUILDINGS)

/** Photographs and paintings of sights, by day and by night, from the same package; Fennip has learned nothing from them. */
export const sightPhotographs = () => collected(SIGHTS)

async function collected(collections: readonly string[]): Promise<Photograph[]> {
  const folder = unpacked('gcompris-qt-data', 'usr/share/gcompris-qt/rcc')
  const pictures = collections.flatMap((name) => webpPicturesIn(readFileSync(join(folder, `${name}.rcc`))).map((bytes, i) => ({ name: `${name} ${i}`, picture: sharp(bytes) })))
  const widths = await Promise.all(pictures.map(async ({ picture }) => (await picture.metadata()).width ?? 0))
  return Promise.all(pictures.filter((_picture, i) => widths[i]! >= LEAST_WIDTH).map(async ({ name, picture }) => ({ name, raster: await rasterOf(picture, 720) })))
}

/** Pictures in the WebP format that lie in a file as they are, one after the other: each tells how long it is (RFC 9649, section 2.3). */
function webpPicturesIn(file: Buffer): Buffer[] {
  const pictures: Buffer[] = []
  for (let at = file.indexOf('RIFF'); at >= 0; at = file.indexOf('RIFF', at + 4)) {
    if (file.toString('latin1', at + 8, at + 12) === 'WEBP') pictures.push(file.subarray(at, at + 8 + file.readUInt32LE(at + 4)))
  }
  return pictures
}

/** Where the files of a Debian package lie, which is fetched once into Fennip's own folder. */
function unpacked(name: string, path: string): string {
  const folder = join(homeFolder, 'open-photographs', name)
  const data = join(folder, path)
  if (!existsSync(data)) {
    mkdirSync(folder, { recursive: true })
    execFileSync('apt-get', ['download', name], { cwd: folder, stdio: 'ignore' })
    const archive = readdirSync(folder).find((file) => file.endsWith('.deb'))!
    execFileSync('sh', ['-c', 'dpkg-deb --fsys-tarfile "$0" | tar -x "./$1"', archive, path], { cwd: folder })
  }
  return data
}

/** Files of a Debian package. @param width  None is left wider. */
async function photographsOf(name: string, path: string, files: readonly string[] | 'all', width?: number): Promise<Photograph[]> {
  const data = unpacked(name, path)
  const wanted = files === 'all' ? readdirSync(data).filter((file) => file.endsWith('.jpg')).sort() : files
  return Promise.all(wanted.map(async (file) => ({ name: file, raster: await rasterOf(sharp(join(data, file)), width) })))
}

async function rasterOf(picture: Sharp, width?: number): Promise<IntegerRaster> {
  const { data, info } = await (width ? picture.resize({ width, withoutEnlargement: true }) : picture).toColourspace('srgb').removeAlpha().raw().toBuffer({ resolveWithObject: true })
  const grey = info.channels === 1
  const pixels = new Uint8Array(info.width * info.height * 3)
  for (let i = 0; i < info.width * info.height; i++) for (let c = 0; c < 3; c++) pixels[3 * i + c] = data[i * info.channels + (grey ? 0 : c)]!
  return { width: info.width, height: info.height, channels: 3, data: pixels }
}
