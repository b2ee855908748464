#version 330
in vec3 eye_normal;
in vec3 eye_position;
flat in float sides;

out vec4 result;

// The normal towards the eye, and how far before the eye: all that occlusion looks at.
void main() {
    if (sides > 0.5 && !gl_FrontFacing) discard;
    vec3 n = normalize(eye_normal);
    n = dot(n, n) > 0.5 ? n : normalize(-eye_position);
    result = vec4(dot(n, eye_position) < 0.0 ? n : -n, -eye_position.z);
}
