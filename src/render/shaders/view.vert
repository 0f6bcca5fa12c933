// What depends on the variant is defined before this text.
layout(location = 0) in vec3 position;
#ifdef HAS_NORMALS
layout(location = 1) in vec3 normal;
#endif
#ifdef HAS_TANGENTS
layout(location = 2) in vec4 tangent;
#endif
#ifdef HAS_COLORS
layout(location = 3) in vec4 color;
#endif
layout(location = 4) in vec2 uv_sets[5];
#ifdef HAS_LAYERS
layout(location = 9) in float layer_number;
#endif
layout(location = 10) in uint record_number;
#ifdef HAS_PAGE
layout(location = 11) in vec2 baked_uv;
#endif

struct Record {
  vec4 rows[3];    // to the eye's place, along the world's axes
  vec4 tint;       // factors of the instance
  vec4 emission;   // rgb; w: how its triangles are wound, 1 or -1
  vec2 surface;    // metallic, roughness
  uint first_shown;
  float light;     // times that of the lightmap
  vec4 baked;      // scale and offset of lightmap UVs
};
layout(std430, binding = 0) readonly buffer Records { Record records[]; };

uniform mat4 projection;  // from there

// Depth that one program wrote is compared with that of another.
invariant gl_Position;

out vec3 at;  // seen from the eye
#ifdef HAS_NORMALS
out vec3 world_normal;
#endif
#ifdef HAS_TANGENTS
out vec4 world_tangent;
#endif
out vec2 uvs[UV_SETS];
#ifdef HAS_PAGE
out vec2 page_uv;
flat out float page_light;
#endif
out vec4 factor;
flat out vec4 own_emission;
flat out vec2 own_surface;
flat out uint record_of;
#ifdef SHADES
flat out uint first_shown;
#endif
#ifdef HAS_LAYERS
flat out uint layer_of;
#endif

// As engines do: between vertices only directions are mixed, however the draw is scaled.
vec3 make_unit(vec3 v) {
  float length_squared = dot(v, v);
  return length_squared > 0.0 ? v * inversesqrt(length_squared) : vec3(0, 0, 1);
}

void main() {
  Record r = records[record_number];
  vec4 p = vec4(position, 1);
  at = vec3(dot(r.rows[0], p), dot(r.rows[1], p), dot(r.rows[2], p));
#ifdef HAS_NORMALS
  // The cofactors of the linear part: its inverse transpose up to a factor.
  vec3 x = r.rows[0].xyz, y = r.rows[1].xyz, z = r.rows[2].xyz;
  world_normal = r.emission.w * make_unit(vec3(dot(cross(y, z), normal), dot(cross(z, x), normal),
                                               dot(cross(x, y), normal)));
#endif
#ifdef HAS_TANGENTS
  world_tangent = vec4(make_unit(vec3(dot(r.rows[0].xyz, tangent.xyz), dot(r.rows[1].xyz, tangent.xyz),
                                      dot(r.rows[2].xyz, tangent.xyz))), tangent.w * r.emission.w);
#endif
  for (int i = 0; i < UV_SETS; ++i) {
    uvs[i] = uv_sets[i];
  }
#ifdef HAS_PAGE
  page_uv = baked_uv * r.baked.xy + r.baked.zw;
  page_light = r.light;
#endif
  factor = r.tint;
#ifdef HAS_COLORS
  factor *= color;
#endif
  own_emission = r.emission;
  own_surface = r.surface;
  record_of = record_number;
#ifdef SHADES
  first_shown = r.first_shown;
#endif
#ifdef HAS_LAYERS
  layer_of = uint(layer_number + 0.5);
#endif
  gl_Position = projection * vec4(at, 1);
  gl_PointSize = 2;
}
