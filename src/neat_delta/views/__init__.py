"""What people see. Views take values and turn them into text; they compute nothing of the job."""
