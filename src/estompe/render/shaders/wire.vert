#version 330
in vec3 position;
#ifdef COPIES
in vec3 place;
in vec3 row_x;
in vec3 row_y;
in vec3 row_z;
in vec3 scale;
#endif
uniform mat4 view;
uniform mat4 projection;

void main() {
    vec3 world = position;
#ifdef COPIES
    world = place + transpose(mat3(row_x, row_y, row_z)) * (scale * position);
#endif
    vec4 eye = view * vec4(world, 1.0);
    eye.xyz *= vec3(vec2(mix(0.9995, 1.0, projection[3][3])), 0.9995);  // a hair nearer than the surface, to lie on it
    gl_Position = projection * eye;
}
