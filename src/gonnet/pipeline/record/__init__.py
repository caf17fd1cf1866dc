"""The record of a workspace as an auditor sees it: compared, copied, told in full."""
