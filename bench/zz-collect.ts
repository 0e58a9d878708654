import { readFileSync, writeFileSync } from 'node:fs'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { logLight } from '@fennip/core/find/log-light.js'
import { makeOctaves, findCandidates } from '@fennip/core/find/candidates.js'
import { findRadial } from "@fennip/core/find/radial.js"
import { fitDisc } from '@fennip/core/find/fit-disc.js'
import { crop } from '@fennip/core/raster/raster.js'
import { trueWeight } from './truth.ts'
const t8 = makeTransfer({type:'srgb'},8)
const out: any[] = []
const misses: any[] = []
for (const seed of [1,2,101]) {
  const damaged = {width:6000,height:4000,channels:3,data:new Uint8Array(readFileSync(`/tmp/train/pylon-${seed}.raw`))}
  const clean = {width:6000,height:4000,channels:3,data:new Uint8Array(readFileSync(`/tmp/train/pylon-${seed}.clean.raw`))}
  const flaws = JSON.parse(readFileSync(`/tmp/train/pylon-${seed}.json`,'utf8'))
  const weights = flaws.map((f:any)=>trueWeight(f, clean, damaged, t8))
  let tCand=0,tFit=0,nc=0
  const hit = new Set<number>()
  for (let ty=0;ty<4000;ty+=2048) for (let tx=0;tx<6000;tx+=2048) {
    const x0=Math.max(0,tx-192), y0=Math.max(0,ty-192), x1=Math.min(6000,tx+2048+192), y1=Math.min(4000,ty+2048+192)
    let t=performance.now()
    const plane = logLight(crop(damaged,{x:x0,y:y0,width:x1-x0,height:y1-y0}), t8)
    const oct = makeOctaves(plane, 64)
    const cands = findRadial(oct,-1); tCand+=performance.now()-t; t=performance.now()
    for (const c of cands) {
      const gx=c.x+x0, gy=c.y+y0
      if (gx<tx||gy<ty||gx>=tx+2048||gy>=ty+2048) continue
      nc++
      const f = fitDisc(oct,c); if (!f) continue
      const i = flaws.findIndex((q:any)=>Math.hypot(q.x-f.x-x0,q.y-f.y-y0)<Math.max(2,0.8*q.r))
      if (i>=0) hit.add(i)
      out.push({seed,hit:i, w:i>=0?weights[i]:0, response:c.response, cev:c.evenness, unrest:c.unrest, ...f, x:f.x+x0,y:f.y+y0})
    }
    tFit+=performance.now()-t
  }
  flaws.forEach((f:any,i:number)=>{ if(!hit.has(i)) misses.push({seed,...f,w:weights[i]}) })
  console.log(seed,'cand',nc,'ms',tCand|0,'fit ms',tFit|0,'truth',flaws.length,'w>10',weights.filter((w:number)=>w>=10).length,'missed w>10', misses.filter(m=>m.seed===seed&&m.w>=10).map(m=>[m.x|0,m.y|0,m.r|0,m.w.toFixed(1)].join('/')).join(' '))
}
writeFileSync('/tmp/train/collect.json', JSON.stringify(out)); writeFileSync('/tmp/train/misses.json', JSON.stringify(misses))
