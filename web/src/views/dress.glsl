// Light, shadows and haze on what is cast, as the core's render/dressing.py and shadow.py have them; a
// test holds the two together. What calls these for each light is made in dress.ts.
const float GAMMA = 2.2;
const int TAPS = 32, SEARCHED = 16; // of a disc, as the core asks them
const int CELL = 32; // px of a map a side
const float GOLDEN = 2.399963229728653;
const float SPREAD = 1.2; // of a lamp's maps: the tangent of half their angle
const float SLACK = 0.0002; // relative: what is nearer by less hides nothing
uniform highp vec4 hazeColour; // and its density, per metre
uniform highp vec3 hazeReach; // where it begins, what it thins in and above which level, metres
uniform highp float air; // how much of it lies before this
uniform highp float pixelWide; // at unit depth, metres

// What a map of light from all around says of a normal (render/around.py). turn: degrees.
vec3 around(highp sampler2D map, highp float turn, highp vec3 n) {
  highp float s = sin(radians(turn)), c = cos(radians(turn));
  n = vec3(c * n.x - s * n.z, n.y, s * n.x + c * n.z);
  n /= abs(n.x) + abs(n.y) + abs(n.z);
  highp vec2 at = n.xz;
  if (n.y < 0.0) at = (1.0 - abs(at.yx)) * vec2(at.x < 0.0 ? -1.0 : 1.0, at.y < 0.0 ? -1.0 : 1.0);
  ivec2 last = textureSize(map, 0) - 1;
  at = (at + 1.0) * 0.5 * vec2(last);
  ivec2 i = clamp(ivec2(at), ivec2(0), last - 1);
  highp vec2 part = at - vec2(i);
  vec3 low = mix(texelFetch(map, i, 0).rgb, texelFetch(map, i + ivec2(1, 0), 0).rgb, part.x);
  vec3 high = mix(
    texelFetch(map, i + ivec2(0, 1), 0).rgb, texelFetch(map, i + ivec2(1, 1), 0).rgb, part.x
  );
  return mix(low, high, part.y);
}

// The relief of what is thrown (render/relief.py): its slopes, where its lantern is, from the way from
// there to pixels of the plate and back, pixels of the plate a slope, the focal length and how deep.
uniform highp sampler2D reliefMap;
uniform int reliefLevels; // 0 for none
uniform highp vec3 reliefFrom;
uniform highp mat3 reliefOnto;
uniform highp mat3 reliefRays;
uniform highp vec3 reliefFit;

highp vec2 slopeIn(int k, highp vec2 p) {
  ivec2 size = textureSize(reliefMap, k);
  highp vec2 at = p * vec2(size) / vec2(textureSize(reliefMap, 0)) - 0.5;
  at = clamp(at, vec2(0.0), vec2(size - 1));
  ivec2 i = min(ivec2(at), max(size - 2, ivec2(0))), n = min(size - 1, ivec2(1));
  highp vec2 part = at - vec2(i);
  highp vec2 up = mix(
    texelFetch(reliefMap, i, k).rg, texelFetch(reliefMap, i + ivec2(n.x, 0), k).rg, part.x
  );
  highp vec2 low = mix(
    texelFetch(reliefMap, i + ivec2(0, n.y), k).rg, texelFetch(reliefMap, i + n, k).rg, part.x
  );
  return mix(up, low, part.y);
}

highp vec3 reliefNormal(highp vec3 place, highp vec3 plane, highp float wide) {
  highp vec3 away = place - reliefFrom, h = reliefOnto * away;
  if (h.z <= 0.0) return plane;
  highp vec3 ray = away / h.z;
  highp float off = dot(plane, ray), per = reliefFit.x, focal = reliefFit.y;
  if (abs(off) < 1e-6) return plane;
  highp vec2 p = h.xy / h.z / per;
  highp float level = clamp(log2(max(wide * focal / h.z / per, 1e-9)), 0.0, float(reliefLevels - 1));
  int k = int(level);
  highp vec2 g = mix(slopeIn(k, p), slopeIn(min(k + 1, reliefLevels - 1), p), level - float(k));
  highp vec3 u = reliefRays[0] - ray * (dot(plane, reliefRays[0]) / off);
  highp vec3 v = reliefRays[1] - ray * (dot(plane, reliefRays[1]) / off);
  highp float uu = dot(u, u), uv = dot(u, v), vv = dot(v, v), area = uu * vv - uv * uv;
  // in pixels of the plate these are small numbers
  if (area * focal * focal * focal * focal <= 1e-12) return plane;
  highp float by = reliefFit.z / focal / area * (off > 0.0 ? -1.0 : 1.0);
  return normalize(plane - (g.x * vv - g.y * uv) * by * u - (g.y * uu - g.x * uv) * by * v);
}

float passesHaze(highp float eye, highp float rise, highp float far) {
  highp float density = hazeColour.a * air, fall = hazeReach.y, way = far - hazeReach.x;
  if (way <= 0.0) return 1.0;
  if (fall <= 0.0) return exp(-density * way);
  highp float low = eye + rise * hazeReach.x - hazeReach.z, high = eye + rise * far - hazeReach.z;
  if (low > high) {
    highp float other = low;
    low = high;
    high = other;
  }
  if (high <= 0.0) return exp(-density * way);
  highp float under = max(-low, 0.0), reach = high - low;
  low = max(low, 0.0);
  if (reach < 1e-4 * fall) return exp(-density * way * exp(-low / fall));
  return exp(-density * way * (under + fall * (exp(-low / fall) - exp(-high / fall))) / reach);
}

// One tap: the nearness that a map has there, if it hides; else 0. at: the place in map pixels and
// its nearness. slope: how its own plane's nearness goes on from there, per map pixel. corner, side:
// of the part of the map, px. size: of the light, in map pixels for each unit of nearness.
highp float hides(
  highp sampler2D map, highp vec2 corner, highp float side, highp vec3 at, highp vec2 slope,
  highp vec2 tap, highp float size
) {
  highp vec2 p = clamp(floor(at.xy + tap), vec2(0.0), vec2(side - 1.0));
  highp float z = texelFetch(map, ivec2(corner + p), 0).r;
  highp vec2 off = p + 0.5 - at.xy;
  highp float own = at.z + dot(slope, off);
  if (z <= own * (1.0 + SLACK)) return 0.0;
  if (size <= 0.0 || length(tap) <= 2.0) return z;
  return (z - at.z) * size > 0.5 * length(tap) ? z : 0.0;
}

// peaks: the most nearness within each cell of a map and those around it. most: of all of it.
float seesThrough(
  highp sampler2D map, highp sampler2D peaks, highp vec2 corner, highp float side, highp vec3 at,
  highp vec2 slope, highp float size, highp float most, highp float wide
) {
  highp float fine = clamp(0.5 * wide, 0.75, 0.2 * side);
  highp vec2 here = corner + clamp(at.xy, vec2(0.0), vec2(side - 1.0));
  highp float peak = texelFetch(peaks, ivec2(here) / CELL, 0).r;
  highp float search = max(size * (peak - at.z), fine);
  if (search >= float(CELL)) search = max(size * (most - at.z), fine);
  search = min(search, 0.2 * side);
  float found = 0.0;
  highp float total = 0.0;
  if (search <= fine) {
    search = fine;
  } else {
    for (int i = 0; i < SEARCHED; i++) {
      float r = sqrt((float(i) + 0.5) / float(SEARCHED)), turn = GOLDEN * float(i);
      highp float hit =
        hides(map, corner, side, at, slope, search * r * vec2(cos(turn), sin(turn)), size);
      if (hit > 0.0) {
        found += 1.0;
        total += hit;
      }
    }
    if (found == 0.0 || found == float(SEARCHED)) return 1.0 - found / float(SEARCHED);
    search = clamp(size * (total / found - at.z), fine, search);
  }
  found = 0.0;
  for (int i = 0; i < TAPS; i++) {
    float r = sqrt((float(i) + 0.5) / float(TAPS)), turn = GOLDEN * float(i);
    if (hides(map, corner, side, at, slope, search * r * vec2(cos(turn), sin(turn)), size) > 0.0)
      found += 1.0;
  }
  return 1.0 - found / float(TAPS);
}

// onto: from the world to map pixels and nearness
float seesSun(
  highp sampler2D map, highp sampler2D peaks, highp mat4 onto, highp float size, highp vec3 place, highp vec3 normal,
  highp float wide
) {
  highp float side = float(textureSize(map, 0).x), scale = length(vec3(onto[0].x, onto[1].x, onto[2].x));
  highp vec3 at = (onto * vec4(place, 1.0)).xyz;
  if (any(lessThan(at.xy, vec2(0.0))) || any(greaterThanEqual(at.xy, vec2(side)))) return 1.0;
  // the plane's normal in the map's frame
  highp vec3 m = vec3(
    dot(vec3(onto[0].x, onto[1].x, onto[2].x), normal) / scale,
    dot(vec3(onto[0].y, onto[1].y, onto[2].y), normal) / scale,
    dot(vec3(onto[0].z, onto[1].z, onto[2].z), normal)
  );
  if (abs(m.z) < 1e-4) return 1.0;
  highp vec2 slope = -m.xy / m.z / scale;
  highp float span = 0.5 * onto[3].w; // nearness lies between one and two of these
  return seesThrough(map, peaks, vec2(0.0), side, at, slope, size * scale, 2.0 * span, wide * scale);
}

float seesLamp(
  highp sampler2D map, highp sampler2D peaks, highp vec3 from, highp float size, highp float most, highp vec3 place,
  highp vec3 normal, highp float wide
) {
  highp float side = float(textureSize(map, 0).y) / 2.0, focal = 0.5 * side / SPREAD;
  highp vec3 d = place - from, a = abs(d);
  vec3 right, down, ahead;
  float face;
  if (a.x >= a.y && a.x >= a.z) {
    ahead = vec3(sign(d.x), 0.0, 0.0);
    down = vec3(0.0, -1.0, 0.0);
    face = d.x > 0.0 ? 0.0 : 1.0;
  } else if (a.y >= a.z) {
    ahead = vec3(0.0, sign(d.y), 0.0);
    down = vec3(0.0, 0.0, 1.0);
    face = d.y > 0.0 ? 2.0 : 3.0;
  } else {
    ahead = vec3(0.0, 0.0, sign(d.z));
    down = vec3(0.0, -1.0, 0.0);
    face = d.z > 0.0 ? 4.0 : 5.0;
  }
  right = cross(down, ahead);
  highp float near = 1.0 / dot(d, ahead);
  highp vec3 at = vec3(0.5 * side + focal * vec2(dot(d, right), dot(d, down)) * near, near);
  // one over the depth of the plane is linear in the pixel
  highp float off = dot(normal, d);
  if (abs(off) < 1e-6) return 1.0;
  highp vec2 slope = vec2(dot(normal, right), dot(normal, down)) / (focal * off);
  vec2 corner = side * vec2(mod(face, 3.0), floor(face / 3.0));
  return seesThrough(map, peaks, corner, side, at, slope, size * focal, most, wide * focal * near);
}
