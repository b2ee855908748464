#version 330
in vec3 position;
uniform mat4 view;
uniform mat4 projection;

void main() {
    vec4 eye = view * vec4(position, 1.0);
    eye.xyz *= 0.9995;  // a hair nearer than the surface, so that lines lie on it
    gl_Position = projection * eye;
}
