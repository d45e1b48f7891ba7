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
// veil: its colour, and its density per metre; begins: metres
vec4 veiled(vec4 layer, highp float depth, vec4 veil, float begins) {
  highp float through = exp(-veil.a * max(depth - begins, 0.0));
  return vec4(mix(veil.rgb * layer.a, layer.rgb, through), layer.a);
}
// curves: what 0 to 1 becomes in each channel, one row of even steps
vec4 curved(vec4 layer, highp sampler2D curves) {
  int last = textureSize(curves, 0).x - 1;
  vec3 colour = straight(layer);
  for (int k = 0; k < 3; k++) {
    float at = clamp(colour[k], 0.0, 1.0) * float(last);
    int step = min(int(at), last - 1);
    float from = texelFetch(curves, ivec2(step, 0), 0)[k];
    float to = texelFetch(curves, ivec2(step + 1, 0), 0)[k];
    colour[k] = mix(from, to, at - float(step));
  }
  return vec4(colour * layer.a, layer.a);
}
