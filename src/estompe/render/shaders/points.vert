#version 330
in vec3 place;
in float pixels;
in float copy_strength;
in vec3 copy_color;

uniform mat4 view;
uniform mat4 projection;
uniform bool colored_copies;
uniform vec3 base_color;

out float at_strength;
out vec3 own_color;

void main() {
    at_strength = copy_strength;
    own_color = colored_copies ? copy_color : base_color;
    gl_PointSize = max(pixels, 1.0);
    gl_Position = projection * view * vec4(place, 1.0);
}
