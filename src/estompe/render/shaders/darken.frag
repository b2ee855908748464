#version 330
in vec2 place;

uniform sampler2D occlusion;
uniform float amount;

out vec4 result;

void main() {
    result = vec4(vec3(mix(1.0, texture(occlusion, place).r, amount)), 1.0);
}
