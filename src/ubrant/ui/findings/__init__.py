"""The Findings stage: what a run says, with its working and its verdict; and logs brought in from elsewhere."""
