#version 330
in vec2 place;

uniform sampler2D hidden;  // how much of the key light is hidden
uniform float darkness;
uniform vec2 pixel;

out vec4 result;

void main() {
    float total = 0.0;
    for (int x = -2; x <= 2; x++) {
        for (int y = -2; y <= 2; y++) total += texture(hidden, place + vec2(x, y) * pixel).r;
    }
    result = vec4(vec3(1.0 - darkness * total / 25.0), 1.0);
}
