#version 330
in vec3 world_normal;
in vec3 eye_position;
in float at_strength;
in vec4 clip_now;
in vec4 clip_next;
flat in float sides;
flat in uint copy;

uniform mat4 view;
uniform vec2 half_size;     // half the picture's width and height, pixels
uniform uint item;
#ifdef FACES
uniform bool by_faces;
uniform bool colors_by_faces;
uniform sampler2D face_values;
uniform sampler2D face_colors;
#endif

layout(location = 0) out vec4 form;    // normal, and depth before the camera's plane
layout(location = 1) out vec4 values;  // strength, motion right and up in pixels, and 1 where there is something
layout(location = 2) out uvec4 ids;

void main() {
    if (sides > 0.5 && !gl_FrontFacing) discard;
    vec3 n = normalize(world_normal);
    vec3 eye_n = mat3(view) * n;
    form = vec4(dot(eye_n, eye_position) > 0.0 ? -n : n, -eye_position.z);
    float strength = at_strength;
#ifdef FACES
    if (by_faces) {
        strength = texelFetch(face_values, ivec2(gl_PrimitiveID & 2047, gl_PrimitiveID >> 11), 0).r;  // 2048 wide
    }
#endif
    vec2 motion = (clip_next.xy / clip_next.w - clip_now.xy / clip_now.w) * half_size;
    values = vec4(strength, motion.x, -motion.y, 1.0);
    ids = uvec4(item, uint(gl_PrimitiveID), copy, 1u);
}
