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

flat out uint copy;

void main() {
    copy = uint(gl_InstanceID);
    vec3 world = position;
#ifdef COPIES
    world = place + transpose(mat3(row_x, row_y, row_z)) * (scale * position);
#endif
    gl_Position = projection * view * vec4(world, 1.0);
}
