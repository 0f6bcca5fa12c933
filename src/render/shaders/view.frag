// What depends on the variant is defined before this text.
in vec3 at;
#ifdef HAS_NORMALS
in vec3 world_normal;
#endif
#ifdef HAS_TANGENTS
in vec4 world_tangent;
#endif
in vec2 uvs[UV_SETS];
#ifdef HAS_PAGE
in vec2 page_uv;
flat in float page_light;
uniform sampler2DArray page;
#endif
in vec4 factor;
flat in vec4 own_emission;
flat in vec2 own_surface;
flat in uint record_of;
#ifdef HAS_LAYERS
flat in uint layer_of;
#endif

struct TextureUse {
  vec4 u;     // u of the texture from those of a set: factors, shift; w: which set
  vec4 v;     // the same of v; w: where its layers begin, or -1
};
// A uniform block: storage buffers read as nought in the helper pixels beside an edge, and the mip
// level is taken from those too.
layout(std140, binding = 1) uniform Material {
  vec4 base;
  vec4 emission;  // rgb; w: alpha below which nothing is seen, or -1
  vec4 surface;   // metallic, roughness, occlusion strength, normal scale
  TextureUse uses[5];
} material;
layout(std430, binding = 2) readonly buffer Layers { uint layers[]; };

uniform vec3 axis;     // the view's direction
// 0: culled already; 1: show both; 2: discard what faces away; 3: lines and points, which have none
uniform int sides;
uniform float texel_scale;  // texels of the picture by those that are there
uniform sampler2DArray pictures[5];

#ifdef LIT
struct Light {
  vec4 place;      // from the eye; w: range, 0 without end
  vec4 direction;  // it shines along; w: 0 directional, 1 point, 2 spot
  vec4 color;      // times its intensity
  vec4 cone;       // scale and shift of the cosine
};
layout(std140, binding = 0) uniform Lights { Light lights[16]; };
uniform int light_count;
#ifdef COLLECTS
// Every layer that is nearer than what hides, in lists from the last one drawn.
layout(early_fragment_tests) in;
struct Layer {
  vec4 color;
  float distance_m;  // along the view's axis
  uint record;
  uint element;
  uint next;  // counted from one
};
layout(std430, binding = 4) buffer CollectedLayers {
  uint layer_count;
  uint layer_room;
  uint row_px;
  uint unused;
  Layer collected[];
};
layout(std430, binding = 5) buffer Heads { uint heads[]; };
vec4 picture;
#else
layout(location = 1) out vec4 picture;
#endif
#endif
#ifdef COUNTS_SURFACES
layout(location = 0) out float surfaces;
#endif
#ifdef FINDS
layout(location = 0) out uvec2 found;  // record, element
#endif
#ifdef MEASURES
layout(location = 2) out vec2 measured;  // distance, measure
#endif
#ifdef SHADES
// What hides is found already, so that nothing is shaded that does not show.
layout(early_fragment_tests) in;
uniform usampler2D shown;  // record, element
flat in uint first_shown;
// Elements that are shaded: as they were numbered when they were found, and a bit for each light
// that reaches them.
layout(std430, binding = 3) readonly buffer Elements { uvec2 elements[]; };
#endif

const float pi = 3.14159265;

#ifdef HAS_PAGE
vec3 find_baked() {
  return page_light * texture(page, vec3(page_uv, 0)).rgb;
}
#endif

vec2 find_uv(int slot) {
  TextureUse use = material.uses[slot];
  vec2 uv = uvs[0];
  for (int i = 1; i < UV_SETS; ++i) {
    uv = int(use.u.w) == i ? uvs[i] : uv;
  }
  return vec2(dot(use.u.xyz, vec3(uv, 1)), dot(use.v.xyz, vec3(uv, 1)));
}

vec4 look_up(int slot, sampler2DArray from) {
  float layer = 0;
#ifdef HAS_LAYERS
  float first = material.uses[slot].v.w;
  layer = first < 0 ? 0.0 : float(layers[uint(first) + layer_of]);
#endif
  return texture(from, vec3(find_uv(slot), layer));
}

vec4 find_base() {
  vec4 base = material.base * factor;
#if TEXTURES & 1
  base *= look_up(0, pictures[0]);
#endif
  return base;
}

#ifdef LIT
// Light that an even sky sends from a direction; the ground sends less.
vec3 find_sky(vec3 direction) {
  return mix(vec3(0.30, 0.29, 0.27), vec3(0.72, 0.76, 0.82), 0.5 + 0.5 * direction.y);
}

// What is the same for all lights of a surface.
struct Surface {
  vec3 n;
  vec3 v;
  vec3 diffuse;  // divided by pi
  vec3 f0;
  float nv;
  float a2;      // roughness to the fourth
  float masked;  // by the surface itself, towards the eye
};

Surface make_surface(vec3 n, vec3 v, vec3 diffuse, vec3 f0, float alpha) {
  float nv = max(abs(dot(n, v)), 1e-4);
  float a2 = alpha * alpha;
  return Surface(n, v, diffuse / pi, f0, nv, a2, sqrt(nv * nv * (1.0 - a2) + a2));
}

// glTF 2.0, appendix B: Lambert below GGX with correlated Smith masking and Schlick's Fresnel.
vec3 reflect_light(Surface s, vec3 l) {
  float nl = max(dot(s.n, l), 0.0);
  vec3 between = l + s.v;
  vec3 h = between * inversesqrt(max(dot(between, between), 1e-12));
  float nh = clamp(dot(s.n, h), 0.0, 1.0);
  float d = nh * nh * (s.a2 - 1.0) + 1.0;
  // Distribution and masking with one division.
  float below = 2.0 * pi * d * d * (nl * s.masked + s.nv * sqrt(nl * nl * (1.0 - s.a2) + s.a2));
  float gloss = min(s.a2 / below, 64.0);
  float away = 1.0 - clamp(dot(s.v, h), 0.0, 1.0);
  float away2 = away * away;  // a power would be a logarithm
  vec3 fresnel = s.f0 + (1.0 - s.f0) * (away2 * away2 * away);
  return nl * ((1.0 - fresnel) * s.diffuse + fresnel * gloss);
}

// Light of the sky that a rough surface reflects.
// Source: B. Karis, "Physically Based Shading on Mobile", 2014: a fit of the pre-integrated GGX.
vec3 reflect_sky(vec3 n, vec3 v, vec3 f0, float roughness) {
  vec4 r = roughness * vec4(-1, -0.0275, -0.572, 0.022) + vec4(1, 0.0425, 1.04, -0.04);
  float nv = max(abs(dot(n, v)), 1e-4);
  float a = min(r.x * r.x, exp2(-9.28 * nv)) * r.x + r.y;
  vec2 ab = vec2(-1.04, 1.04) * a + r.zw;
  return find_sky(mix(reflect(-v, n), n, roughness)) * (f0 * ab.x + ab.y);
}

vec3 find_light(Light light, out vec3 l) {
  l = -light.direction.xyz;
  if (light.direction.w == 0.0) {
    return light.color.rgb;
  }
  vec3 to = light.place.xyz - at;
  float squared = max(dot(to, to), 0.0025);
  l = to * inversesqrt(squared);
  float share = light.place.w > 0.0 ? squared / (light.place.w * light.place.w) : 0.0;
  float window = clamp(1.0 - share * share, 0.0, 1.0);
  float cone = light.direction.w == 2.0
      ? clamp(dot(-l, light.direction.xyz) * light.cone.x + light.cone.y, 0.0, 1.0) : 1.0;
  return light.color.rgb * (window * cone * cone / squared);
}

vec3 find_normal(vec3 v, bool front) {
#ifdef HAS_NORMALS
  vec3 n = normalize(world_normal);
  n = front ? n : -n;
#if defined(HAS_TANGENTS) && (TEXTURES & 4)
  vec3 t = normalize(world_tangent.xyz - n * dot(n, world_tangent.xyz));
  vec3 b = cross(n, t) * world_tangent.w * (front ? 1.0 : -1.0);
  vec3 m = look_up(2, pictures[2]).xyz * 2.0 - 1.0;
  m.xy *= material.surface.w;
  n = normalize(t * m.x + b * m.y + n * m.z);
#endif
  return n;
#else
  return v;
#endif
}

// Straight up to 0.6, then ever slower: what is too bright still differs.
vec3 compress(vec3 c) {
  return mix(c, 0.6 + 0.4 * (1.0 - exp(-(c - 0.6) / 0.4)), greaterThan(c, vec3(0.6)));
}

vec3 find_color(vec4 base, vec3 v, bool front, uint reaching) {
#ifdef UNLIT
  return base.rgb;
#else
  float metallic = material.surface.x * own_surface.x;
  float roughness = material.surface.y * own_surface.y;
#if TEXTURES & 2
  vec4 surface = look_up(1, pictures[1]);
  metallic *= surface.b;
  roughness *= surface.g;
#endif
  roughness = clamp(roughness, 0.05, 1.0);
  float open = 1.0;
#if TEXTURES & 8
  open = 1.0 + material.surface.z * (look_up(3, pictures[3]).r - 1.0);
#endif
  vec3 n = find_normal(v, front);
  vec3 diffuse = base.rgb * (1.0 - metallic);
  vec3 f0 = mix(vec3(0.04), base.rgb, metallic);
#ifdef HAS_PAGE
  // What was baked holds the light of sky and lamps.
  vec3 sum = open * (diffuse * find_baked() + reflect_sky(n, v, f0, roughness));
#else
  vec3 sum = open * (diffuse * find_sky(n) + reflect_sky(n, v, f0, roughness));
  Surface lit = make_surface(n, v, diffuse, f0, roughness * roughness);
  for (uint left = reaching; left != 0u; left &= left - 1u) {
    vec3 l;
    vec3 strength = find_light(lights[findLSB(left)], l);
    sum += strength * reflect_light(lit, l);
  }
#endif
  vec3 emission = material.emission.rgb * own_emission.rgb;
#if TEXTURES & 16
  emission *= look_up(4, pictures[4]).rgb;
#endif
  return compress(sum + emission);
#endif
}
#endif

float find_measure(vec3 v) {
#if defined(MEASURES_LIGHT) && defined(HAS_PAGE)
  return sqrt(clamp(dot(find_baked(), vec3(0.2126, 0.7152, 0.0722)), 0.0, 1.0));
#elif defined(MEASURES_FACING) || defined(MEASURES_LIGHT)
#ifdef HAS_NORMALS
  return abs(dot(normalize(world_normal), v));
#else
  return 1.0;
#endif
#elif defined(MEASURES_TILES)
#if TEXTURES & 1
  vec2 checks = floor(find_uv(0) * 8.0);
  return mod(checks.x + checks.y, 2.0);
#else
  return -1.0;
#endif
#elif defined(MEASURES_TEXELS)
#if TEXTURES & 1
  vec2 texels = find_uv(0) * vec2(textureSize(pictures[0], 0).xy) * texel_scale;
  vec2 dx = dFdx(texels), dy = dFdy(texels);
  float area = length(cross(dFdx(at), dFdy(at)));
  return sqrt(abs(dx.x * dy.y - dx.y * dy.x) / max(area, 1e-30));
#else
  return -1.0;
#endif
#else
  return 0.0;
#endif
}

void main() {
#ifdef SHADES
  uvec2 element = elements[first_shown + uint(gl_PrimitiveID)];
#endif
#if defined(LIT) || defined(MAY_DISCARD)
  bool front = sides == 3 || (own_emission.w > 0.0 ? gl_FrontFacing : !gl_FrontFacing);
  vec4 base = find_base();
#endif
#ifdef MAY_DISCARD
  if ((sides == 2 && !front) || base.a < material.emission.w) {
    discard;
  }
#endif
#ifdef COUNTS_SURFACES
  surfaces = 1.0;
#endif
#ifdef FINDS
  found = uvec2(record_of, uint(gl_PrimitiveID));
#endif
#if defined(LIT) || defined(MEASURES)
  vec3 v = -normalize(at);
#endif
#ifdef MEASURES
  measured = vec2(dot(at, axis), find_measure(v));
#endif
#ifdef LIT
#ifdef BLENDED
  float alpha = clamp(base.a, 0.0, 1.0);
#else
  float alpha = 1.0;
#endif
#ifdef SHADES
  uint reaching = element.y;
#else
  uint reaching = (1u << uint(light_count)) - 1u;
#endif
  picture = vec4(clamp(find_color(base, v, front, reaching), 0.0, 1.0) * alpha, alpha);
#endif
#ifdef COLLECTS
  // Nor do pixels beside an edge count, in which nothing is drawn.
  if (!gl_HelperInvocation) {
    uint at_layer = atomicAdd(layer_count, 1u);
    if (at_layer < layer_room) {
      ivec2 pixel = ivec2(gl_FragCoord.xy);
      uint next = atomicExchange(heads[uint(pixel.y) * row_px + uint(pixel.x)], at_layer + 1u);
      collected[at_layer] =
          Layer(picture, dot(at, axis), record_of, uint(gl_PrimitiveID), next);
    }
  }
#endif
#ifdef SHADES
  // Two may have one depth. At the end: what is taken from the pixels beside wants them to run on.
  uvec2 here = texelFetch(shown, ivec2(gl_FragCoord.xy), 0).xy;
  if (here.x != record_of || here.y != element.x) {
    discard;
  }
#endif
}
