#version 330
#include "color.glsl"

in vec2 place;

uniform sampler2D occlusion;
uniform float amount;
uniform vec4 window;  // width, height, left and top of what is shown, as fractions of the whole

out vec4 result;

void main() {
    float left = mix(1.0, texture(occlusion, place * window.xy + window.zw).r, amount);
    result = vec4(vec3(to_display ? left : as_light(left)), 1.0);
}
