import { cutOut } from '../core/assemble/cut-out.js'
import { pivotOf, placed, fitPiece } from '../core/assemble/fit.js'
import { edgeOf, tellTorn } from '../core/assemble/torn-edge.js'
import { sheetOf, signedDistance, partOfSheet, type Sheet, type Placement } from '../core/assemble/sheet.js'
import { gaussianBlur } from '../core/raster/blur.js'
import { tear } from './join.js'
import { openPhotographs } from './open-photographs.js'

/** rigid truth */
function truthOf(piece: Sheet, pairs: { from: readonly [number, number]; to: readonly [number, number] }[]): Placement {
  const { x: px, y: py } = pivotOf(piece)
  const m = [0,0,0,0]; for (const { from, to } of pairs) { m[0]!+=from[0]/pairs.length; m[1]!+=from[1]/pairs.length; m[2]!+=to[0]/pairs.length; m[3]!+=to[1]/pairs.length }
  let [s,c]=[0,0]
  for (const { from, to } of pairs) { const [a,b,x,y]=[from[0]-m[0]!,from[1]-m[1]!,to[0]-m[2]!,to[1]-m[3]!]; s+=a*y-b*x; c+=a*x+b*y }
  const t=Math.atan2(s,c)
  const [C,S]=[Math.cos(t),Math.sin(t)]
  const [fx,fy]=[m[0]!-px,m[1]!-py]
  return { turnDegrees: t*180/Math.PI, dx: m[2]!-px-C*fx+S*fy, dy: m[3]!-py-S*fx-C*fy }
}
interface Field { c: Float32Array; s: Float32Array; k: Float32Array; tone: Float32Array }
/** direction along isophotes (double angle), coherence; masked */
function directions(sheet: Sheet, sigma: number): Field {
  const { width: w, height: h, tone, mask } = sheet
  // masked smoothing of tone
  const m = Float32Array.from(mask); const tm = tone.map((v,i)=>v*mask[i]!)
  const a = gaussianBlur({width:w,height:h,data:tm},1.2).data, b = gaussianBlur({width:w,height:h,data:m},1.2).data
  const t = a.map((v,i)=>b[i]!>0.05?v/b[i]!:0)
  const xx=new Float32Array(w*h),xy=new Float32Array(w*h),yy=new Float32Array(w*h)
  for(let y=1;y<h-1;y++)for(let x=1;x<w-1;x++){const i=y*w+x; if(!mask[i]||!mask[i-1]||!mask[i+1]||!mask[i-w]||!mask[i+w])continue; const gx=t[i+1]!-t[i-1]!,gy=t[i+w]!-t[i-w]!; xx[i]=gx*gx;xy[i]=gx*gy;yy[i]=gy*gy}
  const X=gaussianBlur({width:w,height:h,data:xx},sigma).data,Y=gaussianBlur({width:w,height:h,data:yy},sigma).data,Z=gaussianBlur({width:w,height:h,data:xy},sigma).data
  const c=new Float32Array(w*h),s=new Float32Array(w*h),k=new Float32Array(w*h)
  for(let i=0;i<w*h;i++){const d=X[i]!-Y[i]!,e=2*Z[i]!,n=Math.hypot(d,e); const tr=X[i]!+Y[i]!; k[i]=tr>1e-9?n/tr:0
    // gradient angle theta = .5 atan2(e,d); isophote = theta+90
    const th=0.5*Math.atan2(e,d)+Math.PI/2; c[i]=Math.cos(th); s[i]=Math.sin(th) }
  return { c, s, k, tone: t }
}
const at=(sheet: Sheet, v: Float32Array, x: number,y: number)=>{const px=x-sheet.x-0.5,py=y-sheet.y-0.5;const l=Math.floor(px),t=Math.floor(py);if(l<0||t<0||l+1>=sheet.width||t+1>=sheet.height)return null;const i=t*sheet.width+l;if(!sheet.mask[i]||!sheet.mask[i+1]||!sheet.mask[i+sheet.width]||!sheet.mask[i+sheet.width+1])return null;const a=px-l,b=py-t;return (v[i]!*(1-a)+v[i+1]!*a)*(1-b)+(v[i+sheet.width]!*(1-a)+v[i+sheet.width+1]!*a)*b}
const near=(sheet: Sheet, x: number,y: number)=>{const l=Math.floor(x-sheet.x),t=Math.floor(y-sheet.y);if(l<0||t<0||l>=sheet.width||t>=sheet.height)return -1;const i=t*sheet.width+l;return sheet.mask[i]?i:-1}

const WIN=+(process.env.WIN??41), INS=+(process.env.INS??4), SIG=+(process.env.SIG??4), LEAST=+(process.env.LEAST??0.4)
function likeness(met: {along:number,a:number,b:number,w:number}[]): number {
  met.sort((p,q)=>p.along-q.along)
  const fine=(v:number[])=>{const s=[0];for(const x of v)s.push(s.at(-1)!+x);const h=Math.min(WIN>>1,v.length>>2);return v.map((x,i)=>{const f=Math.max(0,i-h),t=Math.min(v.length,i+h+1);return x-(s[t]!-s[f]!)/(t-f)})}
  const A=fine(met.map(m=>m.a)),B=fine(met.map(m=>m.b)); let ab=0,aa=0,bb=0
  for(let i=0;i<A.length;i++){const w=met[i]!.w;ab+=w*A[i]!*B[i]!;aa+=w*A[i]!**2;bb+=w*B[i]!**2}
  return ab/Math.sqrt(aa*bb)
}
const photos=await openPhotographs()
for(const gap of (process.env.GAPS??'0,4,8').split(',').map(Number)) for(const [i,{name,raster}] of photos.entries()){
  const torn=tear(raster,gap,100+17*i+gap)
  const {pieces}=cutOut(torn.scan); if(pieces.length!==2){console.log(name,'pieces',pieces.length);continue}
  const [base,piece]=pieces.map(p=>sheetOf(torn.scan,p)) as [Sheet,Sheet]
  const upBase=base.y<piece.y
  const truth=truthOf(piece,torn.along.map(({upper,lower})=>upBase?{from:lower,to:upper}:{from:upper,to:lower}))
  const err=(p:Placement)=>Math.max(...torn.along.map(({upper,lower})=>{const [st,mv]=upBase?[upper,lower]:[lower,upper];const [x,y]=placed(piece,p,mv[0],mv[1]);return Math.hypot(x-st[0],y-st[1])}))
  tellTorn(piece)
  const fit=fitPiece(base,piece)
  const F=directions(piece,SIG), G=directions(base,SIG)
  const margin=60; const field=partOfSheet(base,base.x-margin,base.y-margin,base.width+2*margin,base.height+2*margin); const dist=signedDistance(field)
  const dAt=(x:number,y:number)=>{const l=Math.floor(x-field.x),t=Math.floor(y-field.y);if(l<0||t<0||l>=field.width||t>=field.height)return null;return dist[t*field.width+l]!}
  const points=edgeOf(piece,piece,1).filter(p=>p.torn>0.3)
  const axisx=1
  const measure=(pl:Placement,oblique:boolean)=>{
    const [c,s]=[Math.cos(pl.turnDegrees*Math.PI/180),Math.sin(pl.turnDegrees*Math.PI/180)]
    const met:{along:number,a:number,b:number,w:number}[]=[]; let d0=0,nn=0
    for(const {x,y,nx,ny} of points){
      const [px,py]=placed(piece,pl,x,y); const d=dAt(px,py); if(d===null||Math.abs(d)>25)continue; d0+=d;nn++
      // piece side
      const qx=x-nx*INS,qy=y-ny*INS; const pt=at(piece,F.tone,qx,qy); if(pt===null)continue
      let [dx,dy,w]=[nx,ny,1]
      if(oblique){const j=near(piece,qx-nx*SIG,qy-ny*SIG); if(j>=0){let [ix,iy]=[F.c[j]!,F.s[j]!]; if(ix*nx+iy*ny<0){ix=-ix;iy=-iy} if(ix*nx+iy*ny>LEAST&&F.k[j]!>0.3){dx=ix;dy=iy}}}
      const [ux,uy]=[c*dx-s*dy,s*dx+c*dy]
      // march from piece edge inside q
      const [sx,sy]=placed(piece,pl,qx,qy)
      let bt: number|null=null
      for(let t=0;t<60;t+=0.5){const dd=dAt(sx+ux*t,sy+uy*t); if(dd!==null&&dd<=-INS){bt=at(base,G.tone,sx+ux*t,sy+uy*t);break}}
      if(bt===null)continue
      met.push({along:x*axisx,a:pt,b:bt,w})
    }
    return {l:met.length<20?0:likeness(met),d:d0/nn}
  }
  const row=(ob:boolean)=>{let best=-9,bk=0;const out:string[]=[];for(let k=-10;k<=10;k++){const pl={...truth,dy:truth.dy+(upBase?1:-1)*k};const {l}=measure(pl,ob);if(l>best){best=l;bk=k}out.push(l.toFixed(2).replace('0.','.'))}return `${String(bk).padStart(3)}  ${out.join(' ')}`}
  console.log(`${gap} ${name} err ${err(fit.placement).toFixed(2)} turn ${(fit.placement.turnDegrees-truth.turnDegrees).toFixed(2)} dx ${(fit.placement.dx-truth.dx).toFixed(1)} dy ${((fit.placement.dy-truth.dy)*(upBase?1:-1)).toFixed(1)} atTruth d ${measure(truth,false).d.toFixed(1)}`)
  console.log('   normal ',row(false)); console.log('   oblique',row(true))
}
