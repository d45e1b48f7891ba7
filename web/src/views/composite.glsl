// How layers are mixed, premultiplied, as the core's picture/composite.py has it; a test holds the
// two together.
vec3 straight(vec4 layer) {
  return layer.rgb / max(layer.a, 1e-6);
}
vec4 over(vec4 above, vec4 below) {
  return above + below * (1.0 - above.a);
}
vec4 lighten(vec4 above, vec4 below) {
  vec3 both = max(above.rgb * below.a, below.rgb * above.a);
  vec3 colour = above.rgb * (1.0 - below.a) + below.rgb * (1.0 - above.a) + both;
  return vec4(colour, above.a + below.a - above.a * below.a);
}
vec4 summed(vec4 above, vec4 below) {
  return vec4(above.rgb + below.rgb, above.a + below.a - above.a * below.a);
}
vec4 difference(vec4 above, vec4 below, float times) {
  vec3 off = abs(straight(above) - straight(below));
  vec3 told = floor(off * 255.0 + 0.5) / 255.0 * times;
  return over(vec4(told * above.a, above.a), below);
}
// curves: what 0 to 1 becomes in each channel, one row of even steps; straight on beyond them
vec3 bentBy(vec3 colour, highp sampler2D curves) {
  int last = textureSize(curves, 0).x - 1;
  for (int k = 0; k < 3; k++) {
    float at = colour[k] * float(last);
    int step = clamp(int(at), 0, last - 1);
    float from = texelFetch(curves, ivec2(step, 0), 0)[k];
    float to = texelFetch(curves, ivec2(step + 1, 0), 0)[k];
    colour[k] = from + (to - from) * (at - float(step));
  }
  return colour;
}
vec4 curved(vec4 layer, highp sampler2D curves) {
  vec3 colour = bentBy(clamp(straight(layer), 0.0, 1.0), curves);
  return vec4(colour * layer.a, layer.a);
}
vec3 linearOf(vec3 v) {
  vec3 low = v / 12.92, high = pow((max(v, 0.0) + 0.055) / 1.055, vec3(2.4));
  return mix(low, high, step(0.04045, v));
}
vec3 pictureOf(vec3 v) {
  vec3 low = v * 12.92, high = 1.055 * pow(max(v, 0.0), vec3(1.0 / 2.4)) - 0.055;
  return mix(low, high, step(0.0031308, v));
}
// A grade, as the core's dress/grade.py has it. by: exposure, contrast, saturation and what contrast
// turns about. linear: whether it is done in linear light. bent: whether it has curves.
vec4 graded(vec4 layer, vec4 by, bool linear, bool bent, highp sampler2D curves) {
  vec3 v = straight(layer);
  if (linear || by.x != 0.0) {
    v = linearOf(v) * exp2(by.x);
    if (!linear) v = pictureOf(v);
  }
  v = (v - by.w) * by.y + by.w;
  if (bent) v = bentBy(v, curves);
  float luma = dot(v, vec3(0.2126, 0.7152, 0.0722));
  v = luma + (v - luma) * by.z;
  if (linear) v = pictureOf(max(v, 0.0));
  return vec4(clamp(v, 0.0, 1.0) * layer.a, layer.a);
}
// Colours taken through a 3D table, straight between its places; low and high: the colours at its ends.
vec4 tabled(vec4 layer, highp sampler3D table, vec3 low, vec3 high) {
  int last = textureSize(table, 0).x - 1;
  vec3 at = clamp((straight(layer) - low) / (high - low), 0.0, 1.0) * float(last);
  ivec3 from = min(ivec3(at), ivec3(last - 1));
  vec3 part = at - vec3(from);
  vec3 sum = vec3(0.0);
  for (int i = 0; i < 8; i++) {
    ivec3 step = ivec3(i & 1, (i >> 1) & 1, i >> 2);
    vec3 share = mix(1.0 - part, part, vec3(step));
    sum += share.x * share.y * share.z * texelFetch(table, from + step, 0).rgb;
  }
  return vec4(clamp(sum, 0.0, 1.0) * layer.a, layer.a);
}
