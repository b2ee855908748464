#version 330
#include "color.glsl"

uniform vec4 ink;  // display values
out vec4 result;

void main() {
    // In linear light a thin dark line covers more than it does in display values, for the same look.
    result = to_display ? ink : vec4(linear(ink.rgb), 1.0 - pow(1.0 - ink.a, 1.75));
}
