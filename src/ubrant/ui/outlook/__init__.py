"""The Outlook stage: how long will it run, and what to buy."""
