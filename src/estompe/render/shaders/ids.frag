#version 330
flat in uint copy;
uniform uint item;
out uvec4 result;

void main() {
    result = uvec4(item, uint(gl_PrimitiveID), copy, 0u);
}
