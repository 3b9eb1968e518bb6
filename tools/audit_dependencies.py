"""Ask the registry whether anything we depend on is known to be unsafe, and say plainly where it gave no answer."""

import json
import subprocess
import sys
from pathlib import Path

LONGEST_S = 90


def main() -> int:
    """Return 1 where something is known to be unsafe; a registry that does not answer is told, and is no fault of ours."""
    tool = Path(sys.executable).with_name("pip-audit")
    command = [
        str(tool),
        "--disable-pip",
        "--no-deps",
        "--require-hashes",
        "-r",
        "requirements.lock",
        "--format",
        "json",
        "--progress-spinner",
        "off",
    ]
    try:
        done = subprocess.run(command, capture_output=True, text=True, check=False, timeout=LONGEST_S)
        packages = json.loads(done.stdout)["dependencies"]
    except (subprocess.TimeoutExpired, ValueError, KeyError) as error:
        print(f"The dependencies were NOT audited: the registry gave no answer ({type(error).__name__}).")
        return 0
    unanswered = [p["name"] for p in packages if "skip_reason" in p]
    unsafe = [(p["name"], p["version"], [v["id"] for v in p["vulns"]]) for p in packages if p.get("vulns")]
    for name, version, ids in unsafe:
        print(f"{name} {version} is known to be unsafe: {', '.join(ids)}")
    print(f"{len(packages) - len(unanswered)} of {len(packages)} dependencies were audited.", end=" ")
    print(f"The registry here knows nothing of the other {len(unanswered)}." if unanswered else "")
    return 1 if unsafe else 0


if __name__ == "__main__":
    sys.exit(main())
