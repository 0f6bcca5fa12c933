// GLSL 4.50. In the vertex shader, one lookup a texture:
layout(location = 5) in float vertex_layer;  // _LAYER
layout(std430, binding = 0) readonly buffer ColorLayers { uint color_layer_of[]; };  // "layers"
flat out uint color_layer;

void choose_layers() {
  color_layer = color_layer_of[uint(vertex_layer + 0.5)];
}

// In the fragment shader, in place of a sampler2D:
uniform sampler2DArray color_texture;
flat in uint color_layer;

vec4 look_up_color(vec2 uv) {
  return texture(color_texture, vec3(uv, float(color_layer)));
}
