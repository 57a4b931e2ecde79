"""What loads draw: audits, days by plug meter, modes."""
