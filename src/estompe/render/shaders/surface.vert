#version 330
in vec3 position;
in vec3 normal;
in float strength;
in float range_position;
in vec3 color;
in float one_sided;

uniform mat4 view;
uniform mat4 projection;

out vec3 eye_normal;
out vec3 eye_position;
out float at_strength;
out float at_range_position;
out vec3 own_color;
flat out float sides;

void main() {
    vec4 eye = view * vec4(position, 1.0);
    eye_position = eye.xyz;
    eye_normal = mat3(view) * normal;
    at_strength = strength;
    at_range_position = range_position;
    own_color = color;
    sides = one_sided;
    gl_Position = projection * eye;
}
