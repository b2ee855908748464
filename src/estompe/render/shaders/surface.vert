#version 330
in vec3 position;
in vec3 normal;
in float strength;
in float range_position;
in vec3 color;
#ifdef BACKS
in vec3 back_color;
#endif
in float one_sided;
#ifdef COPIES
in vec3 place;
in vec3 row_x;
in vec3 row_y;
in vec3 row_z;
in vec3 scale;
in float copy_strength;
in float copy_range_position;
in vec3 copy_color;
#ifdef BACKS
in vec3 copy_back_color;
#endif
uniform bool colored_copies;
#ifdef BACKS
uniform bool backed_copies;
#endif
#endif

uniform mat4 view;
uniform mat4 projection;
uniform bool use_own_color;
#ifdef BACKS
uniform bool use_back_color;
#endif
uniform vec3 base_color;

out vec3 eye_normal;
out vec3 eye_position;
out float at_strength;
out float at_range_position;
out vec3 own_color;
#ifdef BACKS
out vec3 behind_color;
#endif
flat out float sides;

void main() {
    vec3 world = position, outward = normal;
    at_strength = strength;
    at_range_position = range_position;
    own_color = use_own_color ? color : base_color;
#ifdef BACKS
    behind_color = use_back_color ? back_color : own_color;
#endif
#ifdef COPIES
    mat3 axes = transpose(mat3(row_x, row_y, row_z));
    world = place + axes * (scale * position);
    outward = axes * (normal / max(abs(scale), vec3(1e-9)) * sign(scale));
    at_strength = copy_strength;
    at_range_position = copy_range_position;
    own_color = colored_copies ? copy_color : own_color;
#ifdef BACKS
    behind_color = backed_copies ? copy_back_color : use_back_color ? back_color : own_color;
#endif
#endif
    vec4 eye = view * vec4(world, 1.0);
    eye_position = vec3(eye.xy * (1.0 - projection[3][3]), eye.z);  // parallel rays all come straight on
    eye_normal = mat3(view) * outward;
    sides = one_sided;
    gl_Position = projection * eye;
}
