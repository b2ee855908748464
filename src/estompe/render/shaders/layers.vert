#version 330
in vec3 position;
in vec3 normal;
in float strength;
in vec3 next_position;
in float one_sided;
#ifdef COPIES
in vec3 place;
in vec3 row_x;
in vec3 row_y;
in vec3 row_z;
in vec3 scale;
in float copy_strength;
in vec3 next_place;
in vec3 next_x;           // rows of what turns and sizes it then
in vec3 next_y;
in vec3 next_z;
#endif
uniform mat4 view;
uniform mat4 projection;
uniform mat4 next_clip;   // world to clip space on the next frame
uniform bool moves;

out vec3 world_normal;
out vec3 eye_position;
out float at_strength;
out vec4 clip_now;
out vec4 clip_next;
flat out float sides;
flat out uint copy;

void main() {
    vec3 world = position, outward = normal, later = moves ? next_position : position;
    at_strength = strength;
    copy = uint(gl_InstanceID);
#ifdef COPIES
    mat3 axes = transpose(mat3(row_x, row_y, row_z));
    vec3 offset = axes * (scale * position);
    world = place + offset;
    later = moves ? next_place + transpose(mat3(next_x, next_y, next_z)) * position : world;
    outward = axes * (normal / max(abs(scale), vec3(1e-9)) * sign(scale));
    at_strength = copy_strength;
#endif
    vec4 eye = view * vec4(world, 1.0);
    eye_position = vec3(eye.xy * (1.0 - projection[3][3]), eye.z);  // parallel rays all come straight on
    world_normal = outward;
    sides = one_sided;
    clip_now = projection * eye;
    clip_next = next_clip * vec4(later, 1.0);
    gl_Position = clip_now;
}
