#version 330
in vec2 place;

uniform sampler2D forms;
uniform vec2 lens;    // half the picture's width and height, at distance 1 or, with parallel rays, at any
uniform bool parallel;
uniform vec2 radii;   // of contact and of surroundings, scene units
uniform vec2 size;    // of the picture, pixels

out float result;

const int TAPS = 9;

vec3 position_at(vec2 at, float distance) {
    vec2 across = (at * 2.0 - 1.0) * lens;
    return parallel ? vec3(across, -distance) : vec3(across, -1.0) * distance;
}

// McGuire, Mara and Luebke, "Scalable Ambient Obscurance" (2012): how much of the half space nearby is taken.
float taken(vec3 position, vec3 normal, float radius, float turn, float windings) {
    float reach = radius / (lens.y * (parallel ? 2.0 : position.z * -2.0));
    float total = 0.0;
    for (int i = 0; i < TAPS; i++) {
        float part = (float(i) + 0.5) / float(TAPS);
        float angle = part * windings + turn;
        vec2 at = place + vec2(cos(angle) * size.y / size.x, sin(angle)) * part * min(reach, 0.25);
        at = (floor(at * size) + 0.5) / size;  // the distance is that of the pixel's middle
        float distance = texture(forms, at).w;
        if (distance <= 0.0) continue;
        vec3 towards = position_at(at, distance) - position;
        float square = dot(towards, towards);
        float near = max(radius * radius - square, 0.0) / (radius * radius);
        float over = dot(towards, normal) - 0.012 * radius;
        total += near * near * near * max(over / (1e-4 * radius + square), 0.0) * radius;
    }
    return total / float(TAPS);
}

void main() {
    vec4 form = texture(forms, place);
    if (form.w <= 0.0) {
        result = 1.0;
        return;
    }
    vec3 position = position_at(place, form.w);
    vec3 normal = vec3(form.x, -form.y, form.z);  // the picture is upside down
    // Another turn at each of four by four pixels, over which the smoothing takes the mean.
    ivec2 pixel = ivec2(gl_FragCoord.xy) & 3;
    float turn = 6.2831853 * float(pixel.x + 4 * (pixel.y ^ pixel.x)) / 16.0;
    float contact = taken(position, normal, radii.x, turn, 25.0);
    float around = taken(position, normal, radii.y, turn, 31.0);
    // Where a surface is seen from the side, the few pixels of it tell little of what is around.
    float seen = smoothstep(0.02, 0.35, dot(normal, parallel ? vec3(0.0, 0.0, 1.0) : -normalize(position)));
    result = clamp(1.0 - seen * (0.8 * contact + 1.3 * around), 0.0, 1.0);
}
