// The lower station with a car at the platform; printed in grey by the demo.
// povray +Istation.pov +W3000 +H2000 +A0.1 +FN16
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 6 }
camera { location <-10.5, 2.3, -19> look_at <-0.2, 3.6, 0> right x*image_width/image_height angle 50 }
light_source { <-900, 900, -700> rgb 1.2 area_light <60,0,0>, <0,60,0>, 3, 3 adaptive 1 jitter }
light_source { <800, 1500, -500> rgb 0.26 shadowless }
sky_sphere { pigment { gradient y color_map { [0 rgb 0.88] [0.5 rgb 0.62] } }
  pigment { bozo turbulence 0.6 octaves 6 color_map { [0 rgbt <1,1,1,1>] [0.5 rgbt <1,1,1,1>] [1 rgbt <0.98,0.98,0.98,0.3>] } scale <0.5,0.14,0.5> } }
#declare Stone = texture { pigment { brick
    pigment { granite color_map { [0 rgb 0.30] [1 rgb 0.42] } }
    pigment { granite turbulence 0.3 color_map { [0 rgb 0.26] [0.5 rgb 0.40] [1 rgb 0.55] } scale 1.3 } brick_size <0.9, 0.36, 0.5> mortar 0.025 }
  normal { average normal_map { [1 brick 0.5 brick_size <0.9, 0.36, 0.5> mortar 0.025] [1 granite 0.4 scale 0.5] } } finish { diffuse 0.8 ambient 0.1 } }
#declare Slate = texture { pigment { brick
    pigment { rgb 0.06 } pigment { granite color_map { [0 rgb 0.11] [1 rgb 0.22] } scale 2 } brick_size <0.42, 0.3, 0.5> mortar 0.018 }
  normal { granite 0.3 scale 0.4 } finish { diffuse 0.8 ambient 0.1 specular 0.1 } }
#declare Timber = texture { pigment { wood turbulence 0.08 color_map { [0 rgb 0.16] [1 rgb 0.25] } scale 0.12 rotate y*90 } finish { diffuse 0.8 ambient 0.1 } }
#declare Paint = texture { pigment { rgb 0.74 } normal { bumps 0.05 scale 0.1 } finish { diffuse 0.8 ambient 0.1 specular 0.15 } }
#declare Glass = texture { pigment { rgb 0.035 } finish { reflection 0.25 specular 0.6 roughness 0.005 diffuse 0.3 } }
#macro Window(px, py) union {
  box { <px-0.62, py-0.95, -0.06>, <px+0.62, py+0.95, 0.1> texture { Paint } }
  #local a = -1; #while (a < 2) #local b = -1; #while (b < 2)
    box { <px+a*0.28-0.24, py+b*0.44-0.38, -0.075>, <px+a*0.28+0.24, py+b*0.44+0.38, 0> texture { Glass } }
    #local b = b + 2; #end #local a = a + 2; #end
  box { <px-0.78, py-1.1, -0.2>, <px+0.78, py-0.95, 0.1> texture { Stone } } } #end
union { // the station house
  box { <-6, 0, 0>, <6, 4.6, 7> texture { Stone } }
  prism { linear_sweep -6.7, 6.7, 4, <4.45, -0.9>, <7.7, 3.5>, <4.45, 7.9>, <4.45, -0.9> rotate z*90 texture { Slate rotate x*0 } }
  box { <-4.6, 6.2, 3>, <-3.7, 8.9, 3.9> texture { Stone } } box { <3.6, 6.2, 3>, <4.5, 8.9, 3.9> texture { Stone } }
  Window(-4.4, 2.6) Window(-2.1, 2.6) Window(2.3, 2.6) Window(4.6, 2.6)
  box { <-0.75, 0, -0.06>, <0.75, 2.7, 0.1> texture { Timber } } box { <-0.95, 2.7, -0.12>, <0.95, 2.95, 0.1> texture { Paint } }
  // canopy
  box { <-6.3, 4.05, -3.3>, <6.3, 4.2, 0.1> rotate x*-3 texture { Slate } }
  #declare a = -6; #while (a < 6.1) cylinder { <a, 0, -3.0>, <a, 4.1, -3.0>, 0.085 texture { Paint } } 
    cylinder { <a, 3.3, -3.0>, <a-0.7, 4.05, -3.0>, 0.045 texture { Paint } } cylinder { <a, 3.3, -3.0>, <a+0.7, 4.05, -3.0>, 0.045 texture { Paint } } #declare a = a + 3; #end
  #declare a = -6.2; #while (a < 6.2) box { <a, 3.72, -3.34>, <a+0.13, 4.1, -3.30> texture { Paint } } #declare a = a + 0.2; #end
  box { <-1.9, 3.25, -3.3>, <1.9, 3.68, -3.22> texture { Paint } }
}
box { <-14, -0.4, -3.6>, <14, 0, 8> texture { Stone scale 0.7 } }
union { // the car
  box { <-3.1, 0.55, -6.9>, <3.1, 1.75, -4.5> texture { Timber scale 3 } } box { <-3.1, 1.75, -6.9>, <3.1, 1.86, -4.5> texture { Paint } }
  box { <-3.1, 1.86, -6.85>, <3.1, 2.85, -4.55> texture { Glass } }
  #declare a = -3.05; #while (a < 3.2) box { <a-0.07, 1.8, -6.92>, <a+0.07, 2.9, -4.48> texture { Paint } } #declare a = a + 0.872; #end
  box { <-3.35, 2.85, -7.1>, <3.35, 3.02, -4.3> texture { Slate } } cylinder { <-3.3, 2.95, -5.7>, <3.3, 2.95, -5.7>, 0.32 scale <1, 1, 1> texture { Slate } }
  #declare a = -2; #while (a < 3) cylinder { <a, 0.4, -6.95>, <a, 0.4, -4.45>, 0.42 texture { pigment { rgb 0.06 } } } #declare a = a + 4; #end
  translate <3.6, 0, 0> }
#declare a = -1; #while (a < 2) box { <-40, -0.1, -5.7+a*0.85>, <40, 0.02, -5.58+a*0.85> pigment { rgb 0.2 } finish { specular 0.6 } } #declare a = a + 2; #end
#declare a = -40; #while (a < 40) box { <a, -0.2, -7.2>, <a+0.28, -0.05, -4.2> texture { Timber } } #declare a = a + 0.85; #end
#declare Ridge = function { pattern { wrinkles scale 0.3 } }
#declare Scree = function { pattern { granite } }
height_field { function 800, 800 { 0.3*Ridge(x*1.5, y*1.5, 0.2) + 0.08*Scree(x*4, y*4, 0.5) }
  smooth translate <-0.5, 0, -0.5> scale <190, 52, 120> translate <20, -7, 85>
  pigment { granite color_map { [0 rgb 0.10] [0.6 rgb 0.2] [1 rgb 0.34] } scale 4 } normal { granite 1 scale 0.7 } finish { diffuse 0.8 ambient 0.1 } }
plane { y, -0.3 pigment { granite turbulence 0.4 color_map { [0 rgb 0.16] [0.5 rgb 0.30] [1 rgb 0.44] } scale 1.2 } normal { granite 0.8 scale 0.25 } finish { diffuse 0.8 ambient 0.1 } }
