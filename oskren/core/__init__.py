"""The rules of the job: pure functions over audio and small frozen models, without interface or storage code."""
