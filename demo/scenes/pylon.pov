// A lattice pylon of the Orrendale hill tramway against a large sky.
// povray +Ipylon.pov +W3000 +H2000 +A0.1 +FN16
#version 3.7;
global_settings { assumed_gamma 1.0 max_trace_level 6 }
#declare SunDirection = vnormalize(<-0.55, 0.62, -0.56>);
camera { location <0, 3.4, -36> look_at <0.6, 11.2, 0> right x*image_width/image_height angle 56 }
light_source { SunDirection*5000 rgb <1.0, 0.95, 0.86>*1.25 }
light_source { <2000, 2500, -900> rgb <0.55, 0.66, 0.85>*0.34 shadowless }

// Sky: a gradient that lightens to the horizon, with two sheets of soft cloud.
sky_sphere {
  pigment { gradient y color_map {
    [0.00 rgb <0.72, 0.78, 0.84>] [0.10 rgb <0.58, 0.70, 0.83>] [0.30 rgb <0.34, 0.52, 0.76>] [0.75 rgb <0.16, 0.32, 0.60>] } }
  pigment { bozo turbulence 0.62 octaves 7 omega 0.52 lambda 2.1 color_map {
    [0.00 rgbt <1, 1, 1, 1>] [0.46 rgbt <0.96, 0.97, 0.99, 1>] [0.66 rgbt <0.93, 0.95, 0.97, 0.52>] [1.00 rgbt <0.90, 0.91, 0.93, 0.16>] }
    scale <0.55, 0.16, 0.55> translate <0.35, 0.02, 0.1> }
  pigment { bozo turbulence 0.9 octaves 6 omega 0.48 color_map {
    [0.00 rgbt <1, 1, 1, 1>] [0.52 rgbt <1, 1, 1, 1>] [1.00 rgbt <0.95, 0.96, 0.98, 0.62>] }
    scale <0.9, 0.07, 0.6> rotate z*8 translate <1.2, 0.3, 0> }
}

#declare Ground = function { pattern { granite turbulence 0.1 scale 0.9 } }
#declare Ridge = function { pattern { wrinkles scale 0.31 } }
#declare Turf = texture {
  pigment { granite turbulence 0.5 color_map {
    [0.0 rgb <0.10, 0.12, 0.045>] [0.4 rgb <0.17, 0.18, 0.07>] [0.7 rgb <0.27, 0.24, 0.11>] [1.0 rgb <0.34, 0.29, 0.17>] } scale 1.7 }
  normal { granite 0.9 scale 0.35 } finish { diffuse 0.8 ambient 0.12 } }
#declare Rock = texture {
  pigment { granite color_map { [0 rgb <0.20, 0.19, 0.17>] [0.5 rgb <0.34, 0.32, 0.29>] [1 rgb <0.50, 0.47, 0.43>] } scale 2.3 }
  normal { wrinkles 1.1 scale 0.5 } finish { diffuse 0.8 ambient 0.1 } }
#declare Haze = rgbt <0.52, 0.62, 0.74, 0.62>;
#declare FarRock = texture { Rock } texture { pigment { Haze } finish { diffuse 0 ambient 0.75 } }
#declare FarTurf = texture { Turf } texture { pigment { Haze } finish { diffuse 0 ambient 0.75 } }
height_field { function 900, 900 { 0.34*Ridge(x*1.6, y*1.6, 0.3) + 0.12*Ground(x*3, y*3, 0.8) }
  smooth translate <-0.5, 0, -0.5> scale <420, 52, 210> translate <-10, -13, 150>
  texture { slope y texture_map { [0.00 FarRock] [0.62 FarRock] [0.80 FarTurf] [1.00 FarTurf] } } }
height_field { function 700, 700 { 0.10*Ridge(x*2.6, y*2.6, 1.3) + 0.05*Ground(x*6, y*6, 2.8) }
  smooth translate <-0.5, 0, -0.5> scale <130, 7, 70> translate <6, -1.15, 14> texture { Turf } }

// The pylon: four legs that lean together, horizontal rings, crossed braces, a head with two sheaves.
#declare Steel = texture {
  pigment { bozo turbulence 0.7 color_map { [0 rgb <0.145, 0.16, 0.155>] [0.55 rgb <0.20, 0.22, 0.21>] [0.72 rgb <0.26, 0.19, 0.13>] [1 rgb <0.33, 0.20, 0.11>] } scale 0.7 }
  normal { granite 0.15 scale 0.2 } finish { diffuse 0.75 specular 0.25 roughness 0.05 ambient 0.1 } }
#macro HalfWidth(h) (2.35 - 1.75*h/21) #end
#macro Leg(i, h) <HalfWidth(h)*(((i=1)|(i=2))*2-1), h, HalfWidth(h)*((i>=2)*2-1)> #end
#macro Bar(a, b, r) cylinder { a, b, r } #end
#declare Pylon = union {
  #declare i = 0; #while (i < 4)
    Bar(Leg(i, -1), Leg(i, 21), 0.115)
    #declare h = 0; #while (h < 21)
      #declare top = min(21, h + 2.1*(1 - 0.012*h));
      Bar(Leg(i, h), Leg(mod(i+1, 4), h), 0.055)
      Bar(Leg(i, h), Leg(mod(i+1, 4), top), 0.05)
      Bar(Leg(mod(i+1, 4), h), Leg(i, top), 0.05)
      #declare h = top;
    #end
    #declare i = i + 1;
  #end
  Bar(<-3.6, 21, 0>, <3.6, 21, 0>, 0.16) Bar(<-3.6, 21.6, 0>, <3.6, 21.6, 0>, 0.10)
  #declare s = -3.5; #while (s < 3.5) Bar(<s, 21, 0>, <s+0.5, 21.6, 0>, 0.045) Bar(<s+0.5, 21.6, 0>, <s+1, 21, 0>, 0.045) #declare s = s + 1; #end
  #declare s = -1; #while (s < 2)
    torus { 0.52, 0.11 rotate x*90 translate <s*3.3, 20.6, 0> }
    Bar(<s*3.3, 21, 0>, <s*3.3, 20.6, 0>, 0.07) Bar(<s*3.3, 20.08, 0>, <s*3.3, 21.12, 0>, 0.04) Bar(<s*3.3-0.5, 20.6, 0>, <s*3.3+0.5, 20.6, 0>, 0.04)
    #declare s = s + 2;
  #end
  // ladder on the near face
  Bar(<-0.28, 0, -2.3>, <-0.28, 21, -0.62>, 0.03) Bar(<0.28, 0, -2.3>, <0.28, 21, -0.62>, 0.03)
  #declare h = 0.4; #while (h < 21) Bar(<-0.28, h, -2.3+1.68*h/21>, <0.28, h, -2.3+1.68*h/21>, 0.02) #declare h = h + 0.34; #end
  // number plate
  box { <-0.55, 5.4, -2.02>, <0.55, 6.1, -1.98> pigment { rgb <0.62, 0.60, 0.52> } finish { diffuse 0.7 } }
}
object { Pylon texture { Steel } rotate y*24 translate <10.6, -0.4, 3> }
object { Pylon texture { Steel } rotate y*24 scale 0.9 translate <-30, 3.2, 92> }

// Cables: shallow parabolas from sheave to sheave.
#macro Rope(a, b, sag, r) #local n = 40; #local k = 0; union { #while (k < n)
  #local From = k/n; #local Upto = (k+1)/n;
  cylinder { a+(b-a)*From-y*sag*4*From*(1-From), a+(b-a)*Upto-y*sag*4*Upto*(1-Upto), r } #local k = k + 1; #end
  pigment { rgb 0.09 } finish { specular 0.5 roughness 0.02 diffuse 0.5 } } #end
#declare NearLeft = vrotate(<-3.3, 20.1, 0>, y*24) + <10.6, -0.4, 3>;
#declare NearRight = vrotate(<3.3, 20.1, 0>, y*24) + <10.6, -0.4, 3>;
#declare FarLeft = vrotate(<-3.3, 20.1, 0>, y*24)*0.9 + <-30, 3.2, 92>;
#declare FarRight = vrotate(<3.3, 20.1, 0>, y*24)*0.9 + <-30, 3.2, 92>;
Rope(NearLeft, FarLeft, 2.6, 0.035) Rope(NearRight, FarRight, 2.6, 0.035)
Rope(NearLeft, NearLeft + <26, 7, -44>, 1.2, 0.035) Rope(NearRight, NearRight + <26, 7, -44>, 1.2, 0.035)
