#version 330
#include "color.glsl"

in float at_strength;
in vec3 own_color;

uniform bool show_strength;
uniform sampler2D palette;

out vec4 result;

void main() {
    vec3 shade = texture(palette, vec2(clamp(at_strength * 0.5 + 0.5, 0.001, 0.999), 0.5)).rgb;
    result = vec4(finished(show_strength ? shade : own_color * as_light(0.78)), 1.0);
}
