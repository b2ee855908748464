#version 330
uniform uint item;
out uvec2 result;

void main() {
    result = uvec2(item, uint(gl_PrimitiveID));
}
