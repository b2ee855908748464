// Colours are linear light; programs of the window turn them into the display values of sRGB (IEC 61966-2-1).
uniform bool to_display;

vec3 linear(vec3 display) {
    return mix(display / 12.92, pow((display + 0.055) / 1.055, vec3(2.4)), step(0.04045, display));
}

vec3 by_curve(vec3 light) {
    vec3 clipped = clamp(light, 0.0, 1.0);
    vec3 second = sqrt(clipped), fourth = sqrt(second), eighth = sqrt(fourth);
    // The curve by roots, which cost less than a power; within 0.00005 of it.
    vec3 curve = 0.64236732 * second + 0.71210837 * fourth - 0.33686905 * eighth - 0.01756351 * clipped;
    return mix(clipped * 12.92, curve, step(0.0031308, clipped));
}

#ifdef VIEW
uniform sampler3D view_table;  // over the light in even steps of stops
uniform bool by_table;
uniform float exposure;
uniform float power;

vec3 looked_up(vec3 light) {
    vec3 stops = log2(max(light, 0.0) + 0.00390625);  // from 2^-8 on
    vec3 place = clamp((stops + 8.0) / 16.0, 0.0, 1.0);
    return texture(view_table, (place * 64.0 + 0.5) / 65.0).rgb;
}

vec3 shown(vec3 light) { return pow(by_table ? looked_up(light * exposure) : by_curve(light * exposure), vec3(power)); }
#else
vec3 shown(vec3 light) { return by_curve(light); }
#endif

vec3 finished(vec3 light) { return to_display ? shown(light) : light; }

// Amounts of light are chosen as they look: half an amount looks half as bright.
float as_light(float amount) { return amount * amount * (0.75 + 0.25 * amount); }
