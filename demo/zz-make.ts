import sharp from 'sharp'
import { writeFileSync } from 'node:fs'
import { pylonLight, dustyPylon, cleanPylon, shaftValve, stationPrint } from './pictures.ts'
const light = await pylonLight()
const jpg = async (d: Uint8Array) => (await sharp(await sharp(d,{raw:{width:6000,height:4000,channels:3}}).jpeg({quality:96,chromaSubsampling:'4:4:4'}).toBuffer()).raw().toBuffer())
for (const seed of [1,2,3,101,102,103]) {
  const p = dustyPylon(light, seed)
  writeFileSync(`/tmp/train/pylon-${seed}.raw`, await jpg(p.damaged.data as Uint8Array))
  writeFileSync(`/tmp/train/pylon-${seed}.clean.raw`, p.clean.data)
  writeFileSync(`/tmp/train/pylon-${seed}.json`, JSON.stringify(p.flaws))
  console.log(seed)
}
const s = await shaftValve()
writeFileSync('/tmp/train/shaft.raw', await jpg(s.damaged.data as Uint8Array)); writeFileSync('/tmp/train/shaft.json', JSON.stringify(s.flaws))
writeFileSync('/tmp/train/shaft.clean.raw', s.clean.data)
const q = await stationPrint()
writeFileSync('/tmp/train/station.raw', q.damaged.data as Uint16Array);writeFileSync('/tmp/train/station.clean.raw', q.clean.data as Uint16Array); writeFileSync('/tmp/train/station.json', JSON.stringify(q.flaws))
