// The cable workshop at Orrendale with its big sheave, a colour print that has faded in the demo.
// povray +Iworkshop.pov +W2400 +H1600 +A0.1 +FN16
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 6 }
camera { location <6.2, 2.1, -13.5> look_at <0.4, 2.3, 0> right x*image_width/image_height angle 54 }
light_source { <900, 1000, -900> rgb <1.25, 1.18, 1.05> area_light <60,0,0>, <0,60,0>, 3, 3 adaptive 1 jitter }
light_source { <-700, 1500, -500> rgb <0.2, 0.23, 0.28> shadowless }
sky_sphere { pigment { gradient y color_map { [0 rgb <0.86, 0.88, 0.9>] [0.6 rgb <0.4, 0.55, 0.78>] } }
  pigment { bozo turbulence 0.65 octaves 6 color_map { [0 rgbt 1] [0.5 rgbt 1] [1 rgbt <0.97, 0.97, 0.97, 0.25>] } scale <0.5, 0.15, 0.5> } }
#declare Brick = texture { pigment { brick
    pigment { granite color_map { [0 rgb <0.42, 0.38, 0.34>] [1 rgb <0.54, 0.5, 0.45>] } }
    pigment { granite turbulence 0.3 color_map { [0 rgb <0.33, 0.13, 0.09>] [0.5 rgb <0.46, 0.2, 0.13>] [1 rgb <0.55, 0.29, 0.19>] } scale 1.4 } brick_size <0.44, 0.14, 0.22> mortar 0.014 }
  normal { average normal_map { [1 brick 0.5 brick_size <0.44, 0.14, 0.22> mortar 0.014] [1 granite 0.4 scale 0.4] } } finish { diffuse 0.8 ambient 0.08 } }
#declare Slate = texture { pigment { brick pigment { rgb 0.06 } pigment { granite color_map { [0 rgb <0.12, 0.13, 0.15>] [1 rgb <0.25, 0.26, 0.28>] } scale 2 } brick_size <0.42, 0.3, 0.5> mortar 0.018 } normal { granite 0.3 scale 0.4 } finish { diffuse 0.8 ambient 0.08 } }
#declare Green = texture { pigment { granite color_map { [0 rgb <0.1, 0.22, 0.17>] [0.7 rgb <0.14, 0.3, 0.23>] [1 rgb <0.3, 0.36, 0.3>] } scale 0.7 } normal { wood 0.25 scale <0.2, 6, 0.2> } finish { diffuse 0.8 ambient 0.08 specular 0.12 } }
#declare Oak = texture { pigment { wood turbulence 0.09 color_map { [0 rgb <0.28, 0.19, 0.11>] [1 rgb <0.44, 0.31, 0.19>] } scale 0.14 rotate y*88 } normal { granite 0.15 scale 0.3 } finish { diffuse 0.8 ambient 0.08 } }
#declare White = texture { pigment { rgb <0.76, 0.75, 0.7> } normal { bumps 0.05 scale 0.1 } finish { diffuse 0.8 ambient 0.08 specular 0.1 } }
#declare Iron = texture { pigment { granite color_map { [0 rgb <0.13, 0.12, 0.12>] [0.7 rgb <0.22, 0.2, 0.19>] [1 rgb <0.4, 0.24, 0.15>] } scale 0.5 } normal { granite 0.25 scale 0.2 } finish { diffuse 0.7 ambient 0.06 specular 0.35 roughness 0.03 } }
#declare Glass = texture { pigment { rgb <0.03, 0.035, 0.04> } finish { reflection 0.3 specular 0.6 roughness 0.005 diffuse 0.3 } }
#macro Window(px, py) union {
  box { <px-0.75, py-0.9, -0.05>, <px+0.75, py+0.9, 0.1> texture { White } }
  #local a = -1; #while (a < 2) #local b = -1; #while (b < 2)
    box { <px+a*0.46-0.2, py+b*0.56-0.25, -0.07>, <px+a*0.46+0.2, py+b*0.56+0.25, 0> texture { Glass } }
    #local b = b + 1; #end #local a = a + 1; #end
  box { <px-0.9, py-1.05, -0.18>, <px+0.9, py-0.9, 0.1> texture { White } } } #end
union { // the workshop
  box { <-7.5, 0, 0>, <5.5, 4, 9> texture { Brick } }
  prism { linear_sweep -5.5, 7.5, 4, <4, 0>, <6.9, 4.5>, <4, 9>, <4, 0> rotate z*90 texture { Brick } }
  prism { linear_sweep -5.9, 7.9, 5, <3.85, -0.6>, <6.95, 4.5>, <7.2, 4.5>, <4.1, -0.6>, <3.85, -0.6> rotate z*90 texture { Slate } }
  box { <-3.2, 5.2, 3>, <-2.4, 8.4, 3.8> texture { Brick } } box { <-3.3, 8.3, 2.9>, <-2.3, 8.5, 3.9> texture { White } }
  Window(-5.9, 2.2) Window(3.9, 2.2)
  box { <-4.3, 0, -0.04>, <2.3, 3.35, 0.1> texture { Oak } }
  box { <-4.45, 3.3, -0.12>, <2.45, 3.55, 0.1> texture { Oak } }
  #declare a = -4.2; #while (a < -1.1) box { <a, 0.08, -0.1>, <a+0.27, 3.25, -0.04> texture { Green translate a*7 } } #declare a = a + 0.285; #end
  // the right leaf stands open
  union { #declare a = 0; #while (a < 3.1) box { <a, 0.08, -0.05>, <a+0.27, 3.25, 0.01> texture { Green translate a*5 } } #declare a = a + 0.285; #end
    box { <0, 0.7, -0.11>, <3.1, 0.9, -0.05> texture { Green } } box { <0, 2.5, -0.11>, <3.1, 2.7, -0.05> texture { Green } } rotate y*68 translate <2.3, 0, -0.05> scale <1,1,1> }
  box { <-1.05, 0.02, -0.06>, <2.25, 3.3, 0.05> pigment { rgb <0.02, 0.018, 0.016> } finish { diffuse 0.3 ambient 0 } }
}
#macro Wheel(R, W) difference {
  union { torus { R, W*0.5 rotate x*90 } cylinder { <0,0,-W*0.35>, <0,0,W*0.35>, R*0.16 }
    difference { cylinder { <0,0,-W*0.3>, <0,0,W*0.3>, R } cylinder { <0,0,-W>, <0,0,W>, R*0.86 } }
    #local k = 0; #while (k < 6) cylinder { <0, R*0.12, 0>, <0, R*0.9, 0>, W*0.16 rotate z*k*60 } #local k = k + 1; #end }
  cylinder { <0,0,-W>, <0,0,W>, R*0.06 } texture { Iron } } #end
object { Wheel(1.45, 0.3) rotate z*17 rotate x*9 translate <-5.5, 1.52, -0.95> }
object { Wheel(0.62, 0.2) rotate x*72 rotate y*30 translate <-3.2, 0.22, -3.4> }
// the cable drum
union { cylinder { <-0.75,0,0>, <-0.62,0,0>, 0.95 texture { Oak } } cylinder { <0.62,0,0>, <0.75,0,0>, 0.95 texture { Oak } }
  #declare k = -0.56; #while (k < 0.6) torus { 0.66, 0.05 rotate z*90 translate x*k texture { Iron } } #declare k = k + 0.095; #end
  cylinder { <-0.62,0,0>, <0.62,0,0>, 0.64 texture { Iron } } rotate y*-24 translate <4.2, 0.95, -2.3> }
// barrels, a bench with a vice, boxes
#macro Barrel(T) union { cylinder { 0, y*0.95, 0.33 texture { T } } torus { 0.335, 0.022 translate y*0.16 texture { Iron } } torus { 0.335, 0.022 translate y*0.5 texture { Iron } } torus { 0.335, 0.022 translate y*0.82 texture { Iron } } } #end
object { Barrel(texture { pigment { granite color_map { [0 rgb <0.16, 0.2, 0.3>] [1 rgb <0.24, 0.29, 0.4>] } } finish { diffuse 0.8 ambient 0.08 specular 0.2 } }) translate <3.1, 0, -0.6> }
object { Barrel(texture { Oak }) translate <3.75, 0, -0.75> }
object { Barrel(texture { pigment { granite color_map { [0 rgb <0.42, 0.12, 0.08>] [1 rgb <0.55, 0.2, 0.13>] } } finish { diffuse 0.8 ambient 0.08 specular 0.2 } }) translate <3.4, 0, -1.35> }
union { box { <-1, 0.86, -0.4>, <1, 0.95, 0.4> texture { Oak } } #declare a = -1; #while (a < 2) box { <a*0.9-0.05, 0, -0.35>, <a*0.9+0.05, 0.86, -0.25> texture { Oak } } box { <a*0.9-0.05, 0, 0.25>, <a*0.9+0.05, 0.86, 0.35> texture { Oak } } #declare a = a + 2; #end
  box { <-0.75, 0.95, -0.3>, <-0.5, 1.12, 0> texture { Iron } } cylinder { <-0.62, 1.05, -0.5>, <-0.62, 1.05, -0.2>, 0.03 texture { Iron } } box { <0.1, 0.95, -0.2>, <0.6, 1.15, 0.15> texture { White } } rotate y*12 translate <-1.7, 0, -2.2> }
union { box { <-0.4, 0, -0.3>, <0.4, 0.5, 0.3> texture { Oak } } box { <-0.3, 0.5, -0.26>, <0.34, 0.9, 0.24> texture { Oak translate 3 } } rotate y*-18 translate <1.2, 0, -3.0> }
// rails into the workshop
#declare a = -1; #while (a < 2) box { <0.6+a*0.5-0.04, -0.02, -30>, <0.6+a*0.5+0.04, 0.07, 2> texture { Iron } } #declare a = a + 2; #end
#declare a = -30; #while (a < 0.5) box { <-0.35, -0.08, a>, <1.55, 0.02, a+0.24> texture { Oak translate a } } #declare a = a + 0.8; #end
#declare Ridge = function { pattern { wrinkles scale 0.3 } }
#declare Scree = function { pattern { granite } }
height_field { function 800, 800 { 0.3*Ridge(x*1.7, y*1.3, 0.4) + 0.08*Scree(x*4, y*4, 0.2) } smooth translate <-0.5, 0, -0.5> scale <200, 58, 120> translate <-30, -7, 85>
  pigment { granite color_map { [0 rgb <0.09, 0.14, 0.08>] [0.6 rgb <0.2, 0.25, 0.14>] [1 rgb <0.36, 0.35, 0.28>] } scale 4 } normal { granite 1 scale 0.7 } finish { diffuse 0.8 ambient 0.08 } }
plane { y, -0.06 pigment { granite turbulence 0.4 color_map { [0 rgb <0.2, 0.18, 0.15>] [0.5 rgb <0.36, 0.33, 0.28>] [1 rgb <0.5, 0.47, 0.41>] } scale 1.1 } normal { granite 0.9 scale 0.22 } finish { diffuse 0.8 ambient 0.08 } }
