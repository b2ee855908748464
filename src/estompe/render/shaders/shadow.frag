#version 330
in vec2 place;

uniform sampler2D forms;          // normals and depths of the picture
uniform sampler2D light_picture;  // depths as the light sees them
uniform mat4 to_world;            // from eye space
uniform mat4 light;               // from world space to the light's clip space
uniform vec3 towards;             // the light, in world space
uniform vec2 lens;                // half the picture's width and height, at distance 1 or, with parallel rays, at any
uniform bool parallel;
uniform float ground;             // where the ground is along Y
uniform float share;              // of all lights

out float result;

void main() {
    vec4 form = texture(forms, place);
    vec2 across = (place * 2.0 - 1.0) * lens * vec2(1.0, -1.0);  // the picture is upside down
    vec3 world, normal = vec3(0.0, 1.0, 0.0);
    if (form.w > 0.0) {
        vec3 eye = parallel ? vec3(across, -form.w) : vec3(across, -1.0) * form.w;
        world = (to_world * vec4(eye, 1.0)).xyz;
        normal = mat3(to_world) * form.xyz;
    } else {
        vec3 from = (to_world * vec4(parallel ? vec3(across, 0.0) : vec3(0.0), 1.0)).xyz;
        vec3 way = mat3(to_world) * (parallel ? vec3(0.0, 0.0, -1.0) : vec3(across, -1.0));
        float far = (ground - from.y) / way.y;
        if (!(far > 0.0)) discard;
        world = from + way * far;
    }
    float facing = dot(normalize(normal), towards);
    if (facing <= 0.0) discard;  // it gets none of this light anyway
    float texel = 2.0 / (float(textureSize(light_picture, 0).x) * length(vec3(light[0][0], light[1][0], light[2][0])));
    vec3 at = (light * vec4(world + normalize(normal) * texel * 1.5, 1.0)).xyz * 0.5 + 0.5;
    if (any(lessThan(at.xy, vec2(0.0))) || any(greaterThan(at.xy, vec2(1.0)))) discard;
    float hidden = texture(light_picture, at.xy).r < at.z - 0.0008 ? 1.0 : 0.0;
    result = hidden * share * smoothstep(0.0, 0.25, facing);
}
