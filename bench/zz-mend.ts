import { readFileSync } from 'node:fs'
import { makeTransfer } from '@fennip/core/raster/transfer.js'
import { rasterSource } from '@fennip/core/raster/raster.js'
import { findFlaws } from '@fennip/core/find/find.js'
import { chooseMend } from '@fennip/core/mend/choose.js'
import { carryOut } from '@fennip/core/mend/methods.js'
import { layOver } from '@fennip/core/render/patch.js'
import { trueWeight } from './truth.ts'
import { measureFlaw, pool } from './measure.ts'
import { whatShows } from '@fennip/core/check/telltales.js'
const t8 = makeTransfer({type:'srgb'},8)
for (const seed of process.argv[2]!.split(',').map(Number)) {
  const damaged = {width:6000,height:4000,channels:3,data:new Uint8Array(readFileSync(`/tmp/train/pylon-${seed}.raw`))}
  const clean = {width:6000,height:4000,channels:3,data:new Uint8Array(readFileSync(`/tmp/train/pylon-${seed}.clean.raw`))}
  const flaws = JSON.parse(readFileSync(`/tmp/train/pylon-${seed}.json`,'utf8'))
  let t=performance.now()
  const finds = findFlaws(rasterSource(damaged), t8, {kinds:['dust'],falseFinds:3})
  console.log('find ms',(performance.now()-t)|0,'n',finds.length)
  const near=(f:any)=>finds.findIndex(q=>Math.hypot(q.shape.x-f.x,q.shape.y-f.y)<Math.max(3,0.8*f.r))
  const ws=flaws.map((f:any)=>trueWeight(f,clean,damaged,t8))
  const hits=flaws.map(near)
  console.log('w>=10',ws.filter((w:number)=>w>=10).length,'found',ws.filter((w:number,i:number)=>w>=10&&hits[i]>=0).length,'below',ws.filter((w:number)=>w<10).length,'found',ws.filter((w:number,i:number)=>w<10&&hits[i]>=0).length,'false',finds.filter((_,i)=>!hits.includes(i)).length)
  const mended={...damaged,data:damaged.data.slice()}
  const src=rasterSource(mended)
  const fl=finds.map((f,i)=>({id:'f'+i,kind:f.kind,shape:f.shape,state:'open' as const,contrast:f.contrast,weight:f.weight,confidence:f.confidence,origin:'found' as const}))
  const steps:any[]=[]; t=performance.now()
  fl.forEach((f,i)=>{ const q=performance.now(); const s=chooseMend({picture:src,transfer:t8,flaw:f,openFlaws:fl.slice(i+1).map(o=>o.shape),id:'s'+i}); const m=carryOut(src,t8,s); layOver(mended,{x:0,y:0,width:6000,height:4000},m); steps.push({...s,ms:performance.now()-q}) })
  console.log('mend ms',(performance.now()-t)|0,'lift',steps.filter(s=>s.method==='lift').length,'heal',steps.filter(s=>s.method==='heal').length,'shows',steps.filter(s=>whatShows(s.telltales).length).map(s=>whatShows(s.telltales).join('+')).join(' '))
  const res=flaws.map((f:any,i:number)=>hits[i]>=0?{r:measureFlaw(f,clean,damaged,mended),f,s:steps[hits[i]],w:ws[i]}:null).filter((x:any)=>x&&x.r)
  console.log(pool(res.map((x:any)=>x.r)))
  for (const m of ['lift','heal']) console.log(m, JSON.stringify(pool(res.filter((x:any)=>x.s.method===m).map((x:any)=>x.r))))
  for (const x of res.sort((a:any,b:any)=>b.r.errorInDeviations-a.r.errorInDeviations).slice(0,8)) console.log(x.f.x|0,x.f.y|0,'r',x.f.r|0,'w',x.w|0,x.s.method,'err',x.r.errorInDeviations.toFixed(2),'grain',x.r.grain.toFixed(2),x.s.reason, 'shows',whatShows(x.s.telltales).join(),'fitr',(x.s.shadow?.radius??0).toFixed(0), (x.s.shadow?.profile??[]).map((v:number)=>v.toFixed(3)).join(' '))
}
