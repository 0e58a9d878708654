// The valve wheel in the flooded counterweight shaft, lit by a lamp beside the camera.
// povray +Ishaft.pov +W3000 +H2000 +A0.1 +FN16
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 6 }
camera { location <0.3, 0.2, -6.2> look_at <0.15, 0, 0> right x*image_width/image_height angle 52 }
light_source { <-2.6, 2.2, -5.6> rgb <1.0, 0.98, 0.92>*1.5 fade_distance 5 fade_power 2 spotlight point_at <0.1, -0.1, 0> radius 17 falloff 42 }
light_source { <3, 5, -3> rgb <0.10, 0.26, 0.28>*0.5 shadowless }
fog { fog_type 1 distance 11 rgb <0.006, 0.030, 0.036> }
background { rgb <0.004, 0.02, 0.025> }
#declare Brickwork = texture {
  pigment { brick
    pigment { granite color_map { [0 rgb <0.20, 0.23, 0.19>] [1 rgb <0.33, 0.35, 0.28>] } scale 0.8 }
    pigment { granite turbulence 0.3 color_map { [0 rgb <0.16, 0.11, 0.075>] [0.5 rgb <0.30, 0.19, 0.12>] [0.8 rgb <0.36, 0.29, 0.18>] [1 rgb <0.19, 0.23, 0.14>] } scale 0.6 }
    brick_size <0.62, 0.21, 0.3> mortar 0.028 turbulence 0.02 }
  normal { average normal_map { [1.0 brick 0.6 brick_size <0.62, 0.21, 0.3> mortar 0.028 turbulence 0.02] [1.2 granite 0.5 scale 0.4] [0.5 bumps 0.7 scale 0.05] } }
  finish { diffuse 0.75 ambient 0.02 specular 0.1 roughness 0.1 } }
plane { z, 1.9 inverse texture { Brickwork translate <0.17, 0.09, 0> } }
plane { y, -3.1 pigment { granite color_map { [0 rgb <0.10, 0.09, 0.06>] [1 rgb <0.22, 0.20, 0.14>] } } normal { granite 1 scale 0.5 } }
#declare Bronze = texture {
  pigment { bozo turbulence 0.8 octaves 7 color_map { [0 rgb <0.42, 0.10, 0.05>] [0.40 rgb <0.52, 0.15, 0.07>] [0.56 rgb <0.30, 0.13, 0.07>] [0.75 rgb <0.24, 0.19, 0.10>] [1 rgb <0.18, 0.26, 0.19>] } scale 0.34 }
  normal { granite 0.35 scale 0.16 } finish { diffuse 0.7 specular 0.35 roughness 0.03 ambient 0.02 } }
#declare Iron = texture {
  pigment { granite turbulence 0.4 color_map { [0 rgb <0.09, 0.085, 0.075>] [0.5 rgb <0.19, 0.15, 0.11>] [0.8 rgb <0.30, 0.19, 0.11>] [1 rgb <0.34, 0.27, 0.17>] } scale 0.5 }
  normal { granite 0.6 scale 0.2 } finish { diffuse 0.75 specular 0.15 roughness 0.06 ambient 0.02 } }
#declare Wheel = union {
  torus { 1.45, 0.115 rotate x*90 }
  #declare a = 0; #while (a < 6)
    union { cone { <0.2, 0, -0.03>, 0.11, <1.40, 0, 0>, 0.065 } rotate z*a*60 }
    #declare a = a + 1; #end
  cylinder { <0, 0, -0.16>, <0, 0, 0.2>, 0.29 } cylinder { <0, 0, -0.30>, <0, 0, -0.1>, 0.13 }
  #declare a = 0; #while (a < 6) sphere { <0.21, 0, -0.17>, 0.035 rotate z*a*60 } #declare a = a + 1; #end }
object { Wheel texture { Bronze } rotate <8, -19, 13> translate <0.1, 0, 0> }
cylinder { <0.1, 0, 0.1>, <0.45, -0.1, 1.9>, 0.14 texture { Iron } }
cylinder { <-5, -1.05, 1.35>, <5, -1.05, 1.35>, 0.36 texture { Iron } }
#declare a = -2; #while (a < 3) union {
  cylinder { <a*2.1, -1.05, 1.35> - x*0.09, <a*2.1, -1.05, 1.35> + x*0.09, 0.50 }
  #declare k = 0; #while (k < 10) cylinder { <-0.15, 0.43, 0>, <0.15, 0.43, 0>, 0.04 rotate x*k*36 translate <a*2.1, -1.05, 1.35> } #declare k = k + 1; #end
  texture { Iron } } #declare a = a + 1; #end
cylinder { <2.55, -4, 1.2>, <2.55, 4, 1.2>, 0.17 texture { Iron } }
#declare a = -6; #while (a < 7) cylinder { <-3.1, a*0.42, 1.1>, <-2.2, a*0.42, 1.1>, 0.035 texture { Iron } } #declare a = a + 1; #end
cylinder { <-3.1, -4, 1.1>, <-3.1, 4, 1.1>, 0.045 texture { Iron } } cylinder { <-2.2, -4, 1.1>, <-2.2, 4, 1.1>, 0.045 texture { Iron } }
