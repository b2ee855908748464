"""What each phase of a small step does to one body, contact or joint."""

import numpy as np

from estompe.kernels.compile import inlined, inner
from estompe.kernels.rigid.turning import passing, pushed, turned, turned_back

ACCELERATE, AGAIN_JOINTS, AGAIN_CONTACTS, JOINTS, CONTACTS, ADVANCE, RELAX_JOINTS, RELAX_CONTACTS, BOUNCE = range(9)
PHASES = BOUNCE
"""The phases of a step, in order; bounce follows after all steps."""


@inner
def _push_apart(contacts, bodies, moved, steps, k, biased):
    """The impulses of one pair: apart along the normal, then friction within what presses. moved: way and turn since the look."""
    a, b = contacts.pairs[k, 0], contacts.pairs[k, 1]
    arms, axes, impulses = contacts.arms, contacts.axes, contacts.impulses
    nx, ny, nz = axes[k, 0, 0], axes[k, 0, 1], axes[k, 0, 2]
    for m in range(contacts.counts[k]):
        ax, ay, az = arms[k, m, 0], arms[k, m, 1], arms[k, m, 2]
        bx, by, bz = arms[k, m, 3], arms[k, m, 4], arms[k, m, 5]
        dx = moved[b, 0] - moved[a, 0] + moved[b, 4] * bz - moved[b, 5] * by - moved[a, 4] * az + moved[a, 5] * ay
        dy = moved[b, 1] - moved[a, 1] + moved[b, 5] * bx - moved[b, 3] * bz - moved[a, 5] * ax + moved[a, 3] * az
        dz = moved[b, 2] - moved[a, 2] + moved[b, 3] * by - moved[b, 4] * bx - moved[a, 3] * ay + moved[a, 4] * ax
        gap = contacts.gaps[k, m] + nx * dx + ny * dy + nz * dz
        bias, share, less = 0.0, 1.0, 0.0
        if gap > 0.0:
            bias = gap / steps.seconds
        elif biased:
            bias = max(steps.contact_rate * gap, -steps.push)
            share, less = steps.contact_share, steps.contact_less
        vx, vy, vz = passing(bodies, a, b, ax, ay, az, bx, by, bz)
        old = impulses[k, m, 0]
        new = old - contacts.give[k, m, 0] * share * (vx * nx + vy * ny + vz * nz + bias) - less * old
        new = max(new, 0.0)
        impulses[k, m, 0] = new
        impulses[k, m, 3] = max(impulses[k, m, 3], new)
        j = new - old
        pushed(bodies, a, -1.0, ax, ay, az, j * nx, j * ny, j * nz)
        pushed(bodies, b, 1.0, bx, by, bz, j * nx, j * ny, j * nz)
    px, py, pz = axes[k, 1, 0], axes[k, 1, 1], axes[k, 1, 2]
    qx, qy, qz = axes[k, 2, 0], axes[k, 2, 1], axes[k, 2, 2]
    for m in range(contacts.counts[k]):
        ax, ay, az = arms[k, m, 0], arms[k, m, 1], arms[k, m, 2]
        bx, by, bz = arms[k, m, 3], arms[k, m, 4], arms[k, m, 5]
        vx, vy, vz = passing(bodies, a, b, ax, ay, az, bx, by, bz)
        one, two = impulses[k, m, 1], impulses[k, m, 2]
        new_one = one - contacts.give[k, m, 1] * (vx * px + vy * py + vz * pz)
        new_two = two - contacts.give[k, m, 2] * (vx * qx + vy * qy + vz * qz)
        most, now = steps.friction * impulses[k, m, 0], np.sqrt(new_one * new_one + new_two * new_two)
        if now > most:
            new_one, new_two = new_one * most / (now + 1e-30), new_two * most / (now + 1e-30)
        impulses[k, m, 1], impulses[k, m, 2] = new_one, new_two
        one, two = new_one - one, new_two - two
        jx, jy, jz = one * px + two * qx, one * py + two * qy, one * pz + two * qz
        pushed(bodies, a, -1.0, ax, ay, az, jx, jy, jz)
        pushed(bodies, b, 1.0, bx, by, bz, jx, jy, jz)


@inlined
def _solved(k00, k01, k02, k11, k12, k22, x, y, z):
    """The solution of a symmetric system of three."""
    c00, c01, c02 = k11 * k22 - k12 * k12, k02 * k12 - k01 * k22, k01 * k12 - k02 * k11
    by = 1.0 / (k00 * c00 + k01 * c01 + k02 * c02)
    c11, c12, c22 = k00 * k22 - k02 * k02, k01 * k02 - k00 * k12, k00 * k11 - k01 * k01
    return by * (c00 * x + c01 * y + c02 * z), by * (c01 * x + c11 * y + c12 * z), by * (c02 * x + c12 * y + c22 * z)


@inner
def _keep_rotation(joints, bodies, steps, g, biased):
    """The moment of a joint, which keeps the second body turned as it was in the first."""
    a, b = joints.pairs[g, 0], joints.pairs[g, 1]
    s, p, q = joints.rotation[g], bodies.rotation[a], bodies.rotation[b]
    t0 = p[0] * s[0] - p[1] * s[1] - p[2] * s[2] - p[3] * s[3]
    t1 = p[0] * s[1] + p[1] * s[0] + p[2] * s[3] - p[3] * s[2]
    t2 = p[0] * s[2] - p[1] * s[3] + p[2] * s[0] + p[3] * s[1]
    t3 = p[0] * s[3] + p[1] * s[2] - p[2] * s[1] + p[3] * s[0]
    along = q[0] * t0 + q[1] * t1 + q[2] * t2 + q[3] * t3
    rate = (2.0 if along >= 0.0 else -2.0) * (steps.joint_rate if biased else 0.0)
    w = bodies.spin
    ux = w[b, 0] - w[a, 0] + rate * (q[1] * t0 - q[0] * t1 - q[2] * t3 + q[3] * t2)
    uy = w[b, 1] - w[a, 1] + rate * (q[2] * t0 - q[0] * t2 - q[3] * t1 + q[1] * t3)
    uz = w[b, 2] - w[a, 2] + rate * (q[3] * t0 - q[0] * t3 - q[1] * t2 + q[2] * t1)
    one, other = bodies.inertia[a], bodies.inertia[b]
    jx, jy, jz = _solved(
        one[0, 0] + other[0, 0], one[0, 1] + other[0, 1], one[0, 2] + other[0, 2], one[1, 1] + other[1, 1],
        one[1, 2] + other[1, 2], one[2, 2] + other[2, 2], ux, uy, uz,
    )  # fmt: skip
    share, less = (steps.joint_share, steps.joint_less) if biased else (1.0, 0.0)
    pulls = joints.pulls
    jx = -share * jx - less * pulls[g, 3]
    jy = -share * jy - less * pulls[g, 4]
    jz = -share * jz - less * pulls[g, 5]
    pulls[g, 3] += jx
    pulls[g, 4] += jy
    pulls[g, 5] += jz
    for i in range(3):
        w[a, i] -= one[i, 0] * jx + one[i, 1] * jy + one[i, 2] * jz
        w[b, i] += other[i, 0] * jx + other[i, 1] * jy + other[i, 2] * jz


@inlined
def _yielding_in_all(inertia, rx, ry, rz):
    """The symmetric matrix by which a place at an arm gives through turning alone: six numbers, by rows."""
    m01, m02 = rx * inertia[0, 2] - rz * inertia[0, 0], ry * inertia[0, 0] - rx * inertia[0, 1]
    m10, m11 = rz * inertia[1, 1] - ry * inertia[1, 2], rx * inertia[1, 2] - rz * inertia[1, 0]
    m12 = ry * inertia[1, 0] - rx * inertia[1, 1]
    m20, m21 = rz * inertia[2, 1] - ry * inertia[2, 2], rx * inertia[2, 2] - rz * inertia[2, 0]
    m22 = ry * inertia[2, 0] - rx * inertia[2, 1]
    return (
        rz * m10 - ry * m20, rz * m11 - ry * m21, rz * m12 - ry * m22,
        rx * m21 - rz * m01, rx * m22 - rz * m02, ry * m02 - rx * m12,
    )  # fmt: skip


@inner
def _keep_together(joints, bodies, steps, g, biased):
    """The impulse of one joint at the place that two bodies share, and its moment."""
    a, b = joints.pairs[g, 0], joints.pairs[g, 1]
    if bodies.weight[a] == 0.0 and bodies.weight[b] == 0.0:
        return
    _keep_rotation(joints, bodies, steps, g, biased)
    arms, x = joints.arms, bodies.position
    ax, ay, az = turned(bodies.rotation, a, arms[g, 0], arms[g, 1], arms[g, 2])
    bx, by, bz = turned(bodies.rotation, b, arms[g, 3], arms[g, 4], arms[g, 5])
    rate, share, less = (steps.joint_rate, steps.joint_share, steps.joint_less) if biased else (0.0, 1.0, 0.0)
    ux, uy, uz = passing(bodies, a, b, ax, ay, az, bx, by, bz)
    ux += rate * (x[b, 0] + bx - x[a, 0] - ax)
    uy += rate * (x[b, 1] + by - x[a, 1] - ay)
    uz += rate * (x[b, 2] + bz - x[a, 2] - az)
    both = bodies.weight[a] + bodies.weight[b]
    p00, p01, p02, p11, p12, p22 = _yielding_in_all(bodies.inertia[a], ax, ay, az)
    q00, q01, q02, q11, q12, q22 = _yielding_in_all(bodies.inertia[b], bx, by, bz)
    jx, jy, jz = _solved(
        both + p00 + q00, p01 + q01, p02 + q02, both + p11 + q11, p12 + q12, both + p22 + q22, ux, uy, uz
    )
    pulls = joints.pulls
    jx = -share * jx - less * pulls[g, 0]
    jy = -share * jy - less * pulls[g, 1]
    jz = -share * jz - less * pulls[g, 2]
    pulls[g, 0] += jx
    pulls[g, 1] += jy
    pulls[g, 2] += jz
    pushed(bodies, a, -1.0, ax, ay, az, jx, jy, jz)
    pushed(bodies, b, 1.0, bx, by, bz, jx, jy, jz)


@inner
def _accelerate(bodies, air, h, k):
    """Gravity, air, and the turning that a spinning body gives itself: one step of Newton's method in its own space."""
    slowed, v, w = 1.0 / (1.0 + h * air.drag), bodies.velocity, bodies.spin
    for i in range(3):
        v[k, i] = (v[k, i] + h * (air.acceleration[k, i] + air.drag * air.wind[k, i])) * slowed
        w[k, i] *= 1.0 / (1.0 + h * air.rolling[k])
    own = bodies.own_inertia[k]
    x, y, z = turned_back(bodies.rotation, k, w[k, 0], w[k, 1], w[k, 2])
    lx = own[0, 0] * x + own[0, 1] * y + own[0, 2] * z
    ly = own[1, 0] * x + own[1, 1] * y + own[1, 2] * z
    lz = own[2, 0] * x + own[2, 1] * y + own[2, 2] * z
    fx, fy, fz = h * (y * lz - z * ly), h * (z * lx - x * lz), h * (x * ly - y * lx)
    j00 = own[0, 0] + h * (y * own[2, 0] - z * own[1, 0])
    j01 = own[0, 1] + h * (y * own[2, 1] - z * own[1, 1] + lz)
    j02 = own[0, 2] + h * (y * own[2, 2] - z * own[1, 2] - ly)
    j10 = own[1, 0] + h * (z * own[0, 0] - x * own[2, 0] - lz)
    j11 = own[1, 1] + h * (z * own[0, 1] - x * own[2, 1])
    j12 = own[1, 2] + h * (z * own[0, 2] - x * own[2, 2] + lx)
    j20 = own[2, 0] + h * (x * own[1, 0] - y * own[0, 0] + ly)
    j21 = own[2, 1] + h * (x * own[1, 1] - y * own[0, 1] - lx)
    j22 = own[2, 2] + h * (x * own[1, 2] - y * own[0, 2])
    c0, c1, c2 = j11 * j22 - j12 * j21, j12 * j20 - j10 * j22, j10 * j21 - j11 * j20
    by = 1.0 / (j00 * c0 + j01 * c1 + j02 * c2)
    x -= by * (c0 * fx + (j02 * j21 - j01 * j22) * fy + (j01 * j12 - j02 * j11) * fz)
    y -= by * (c1 * fx + (j00 * j22 - j02 * j20) * fy + (j02 * j10 - j00 * j12) * fz)
    z -= by * (c2 * fx + (j01 * j20 - j00 * j21) * fy + (j00 * j11 - j01 * j10) * fz)
    w[k, 0], w[k, 1], w[k, 2] = turned(bodies.rotation, k, x, y, z)


@inner
def _advance(bodies, moved, h, k):
    """Move and turn a body as fast as it goes."""
    for i in range(3):
        bodies.position[k, i] += h * bodies.velocity[k, i]
        moved[k, i] += h * bodies.velocity[k, i]
        moved[k, 3 + i] += h * bodies.spin[k, i]
    q, w = bodies.rotation[k], bodies.spin[k]
    x, y, z = 0.5 * h * w[0], 0.5 * h * w[1], 0.5 * h * w[2]
    a, b, c, d = q[0], q[1], q[2], q[3]
    a, b, c, d = (
        a - x * b - y * c - z * d,
        b + x * a + y * d - z * c,
        c + y * a + z * b - x * d,
        d + z * a + x * c - y * b,
    )
    by = 1.0 / np.sqrt(a * a + b * b + c * c + d * d)
    q[0], q[1], q[2], q[3] = a * by, b * by, c * by, d * by


@inner
def _again(contacts, joints, bodies, k, of_joints):
    """Put the impulses that a constraint had in the step before on its bodies."""
    if of_joints:
        a, b, pull = joints.pairs[k, 0], joints.pairs[k, 1], joints.pulls[k]
        arm = joints.arms[k]
        ax, ay, az = turned(bodies.rotation, a, arm[0], arm[1], arm[2])
        bx, by, bz = turned(bodies.rotation, b, arm[3], arm[4], arm[5])
        pushed(bodies, a, -1.0, ax, ay, az, pull[0], pull[1], pull[2])
        pushed(bodies, b, 1.0, bx, by, bz, pull[0], pull[1], pull[2])
        one, other, w = bodies.inertia[a], bodies.inertia[b], bodies.spin
        for i in range(3):
            w[a, i] -= one[i, 0] * pull[3] + one[i, 1] * pull[4] + one[i, 2] * pull[5]
            w[b, i] += other[i, 0] * pull[3] + other[i, 1] * pull[4] + other[i, 2] * pull[5]
        return
    a, b, axes = contacts.pairs[k, 0], contacts.pairs[k, 1], contacts.axes[k]
    for m in range(contacts.counts[k]):
        one, two, three = contacts.impulses[k, m, 0], contacts.impulses[k, m, 1], contacts.impulses[k, m, 2]
        jx = one * axes[0, 0] + two * axes[1, 0] + three * axes[2, 0]
        jy = one * axes[0, 1] + two * axes[1, 1] + three * axes[2, 1]
        jz = one * axes[0, 2] + two * axes[1, 2] + three * axes[2, 2]
        arm = contacts.arms[k, m]
        pushed(bodies, a, -1.0, arm[0], arm[1], arm[2], jx, jy, jz)
        pushed(bodies, b, 1.0, arm[3], arm[4], arm[5], jx, jy, jz)


@inner
def _bounce(contacts, bodies, steps, k):
    """Give back a share of the speed with which a pair arrived. Place after place would leave a body on four corners turning."""
    a, b, axes = contacts.pairs[k, 0], contacts.pairs[k, 1], contacts.axes
    nx, ny, nz = axes[k, 0, 0], axes[k, 0, 1], axes[k, 0, 2]
    for _ in range(8):
        for m in range(contacts.counts[k]):
            if contacts.closing[k, m] > -steps.least_bounce or contacts.impulses[k, m, 3] == 0.0:
                continue
            arm = contacts.arms[k, m]
            vx, vy, vz = passing(bodies, a, b, arm[0], arm[1], arm[2], arm[3], arm[4], arm[5])
            wanted = vx * nx + vy * ny + vz * nz + steps.bounce * contacts.closing[k, m]
            old = contacts.impulses[k, m, 0]
            new = max(old - contacts.give[k, m, 0] * wanted, 0.0)
            contacts.impulses[k, m, 0] = new
            j = new - old
            pushed(bodies, a, -1.0, arm[0], arm[1], arm[2], j * nx, j * ny, j * nz)
            pushed(bodies, b, 1.0, arm[3], arm[4], arm[5], j * nx, j * ny, j * nz)


@inner
def carry_out(phase, k, bodies, contacts, joints, moved, air, steps):
    """What a phase does to one body, joint or contact."""
    if phase == ACCELERATE:
        if bodies.weight[k] > 0.0:
            _accelerate(bodies, air, steps.seconds, k)
    elif phase == AGAIN_JOINTS or phase == AGAIN_CONTACTS:
        _again(contacts, joints, bodies, k, phase == AGAIN_JOINTS)
    elif phase == JOINTS or phase == RELAX_JOINTS:
        _keep_together(joints, bodies, steps, k, phase == JOINTS)
    elif phase == CONTACTS or phase == RELAX_CONTACTS:
        _push_apart(contacts, bodies, moved, steps, k, phase == CONTACTS)
    elif phase == ADVANCE:
        _advance(bodies, moved, steps.seconds, k)
    else:
        _bounce(contacts, bodies, steps, k)
