#version 330
#include "color.glsl"

in vec3 eye_normal;
in vec3 eye_position;
in float at_strength;
in float at_range_position;
in vec3 own_color;
#ifdef BACKS
in vec3 behind_color;
#endif
flat in float sides;

uniform bool show_strength;
uniform vec3 key;  // towards the key light, in eye space
#ifdef FACES
uniform bool by_faces;        // strengths come from a texture, by the number of the triangle
uniform bool colors_by_faces;
uniform sampler2D face_values;
uniform sampler2D face_colors;
#endif
uniform sampler2D palette;

out vec4 result;

float light(vec3 n, vec3 towards_eye) {
    vec3 fill = normalize(vec3(0.8, 0.1, 0.5));
    float sky = 0.5 + 0.5 * n.y;
    float amount = 0.34 + 0.20 * sky + 0.44 * max(dot(n, key), 0.0) + 0.14 * max(dot(n, fill), 0.0);
    return amount - 0.16 * pow(1.0 - max(dot(n, towards_eye), 0.0), 3.0);
}

#ifdef FACES
// Textures of faces are 2048 wide.
ivec2 cell_of_triangle() { return ivec2(gl_PrimitiveID & 2047, gl_PrimitiveID >> 11); }
#endif

// How much of this pixel a line at `level` covers, `width` pixels wide.
float line(float value, float level, float width) {
    float pixel = fwidth(value);
    if (pixel < 1e-6) return 0.0;  // a level stretch of surface has no line, whatever its value
    return 1.0 - smoothstep(width * 0.5 - 0.5, width * 0.5 + 0.5, abs(value - level) / pixel);
}

vec3 with_contours(vec3 color) {
    vec3 ink = at_strength > 0.62 ? linear(vec3(0.93, 0.72, 0.58)) : linear(vec3(0.20, 0.13, 0.10));
    float quarters = max(line(at_strength, 0.25, 1.1), max(line(at_strength, 0.5, 1.1), line(at_strength, 0.75, 1.1)));
    color = mix(color, ink, 0.65 * quarters);
    float full = line(at_range_position, 0.0, 2.0);
    color = mix(color, at_strength > 0.5 ? linear(vec3(0.96, 0.90, 0.83)) : linear(vec3(0.20, 0.13, 0.10)), 0.9 * full);
    float dash = step(fract((gl_FragCoord.x + gl_FragCoord.y) / 11.0), 0.58);
    float gone = line(at_range_position, 1.0, 2.0) * dash;
    return mix(color, linear(vec3(0.65, 0.24, 0.13)), 0.9 * gone);
}

void main() {
    if (sides > 0.5 && !gl_FrontFacing) discard;
    vec3 towards_eye = normalize(-eye_position);
    vec3 n = normalize(eye_normal);
    n = dot(n, n) > 0.5 ? n : towards_eye;
    n = gl_FrontFacing ? n : -n;
    float amount = light(n, towards_eye);
    vec3 color = own_color;
#ifdef BACKS
    color = gl_FrontFacing ? own_color : behind_color;
#endif
#ifdef FACES
    if (colors_by_faces) color = texelFetch(face_colors, cell_of_triangle(), 0).rgb;
#endif
    if (show_strength) {
        // Strength must read as a number: the light only hints at the form.
        float strength = at_strength;
#ifdef FACES
        if (by_faces) strength = texelFetch(face_values, cell_of_triangle(), 0).r;
#endif
        color = texture(palette, vec2(clamp(strength * 0.5 + 0.5, 0.001, 0.999), 0.5)).rgb;
        color *= as_light(mix(1.0, amount, 0.45));
#ifdef FACES
        if (by_faces) {
            result = vec4(finished(color), 1.0);
            return;
        }
#endif
        color = with_contours(color);
    } else {
        color *= as_light(amount);
    }
    result = vec4(finished(color), 1.0);
}
