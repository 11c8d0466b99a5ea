"""The bench: where approvers and finance decide."""
