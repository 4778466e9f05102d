"""Speed and cost, each beside a reference in the same run. Never part of the tests: ./run bench [NAME …]."""
